#include "reduce/EdgeRules.h"

#include "reduce/Sides.h"

#include <span>

namespace um {

namespace {

[[gnu::always_inline]] inline Vec3d difference(const Vec3d& x, const Vec3d& y) {
    return {x[0] - y[0], x[1] - y[1], x[2] - y[2]};
}

[[gnu::always_inline]] inline Vec3d crossProduct(const Vec3d& x, const Vec3d& y) {
    return {x[1] * y[2] - x[2] * y[1], x[2] * y[0] - x[0] * y[2], x[0] * y[1] - x[1] * y[0]};
}

// Whether the triangle over the side from a to b is turned over, or squeezed to a needle where that counts, when its
// tip moves from `old` to `place`. Number by number and without a branch, so that it can be done for several at once.
[[gnu::always_inline]] inline bool losesShape(const Vec3d& a, const Vec3d& b, const Vec3d& old, const Vec3d& place,
                                              bool noNeedles) {
    const auto squared = [](const Vec3d& x) { return Quadric::dot(x, x); };
    const Vec3d oldA = difference(a, old), oldB = difference(b, old);
    const Vec3d newA = difference(a, place), newB = difference(b, place);
    const Vec3d before = crossProduct(oldA, oldB), after = crossProduct(newA, newB);
    const double areaBefore = squared(before), areaAfter = squared(after), along = Quadric::dot(before, after);
    const bool isTurned = (along <= 0) | (along * along < leastTurn * leastTurn * areaBefore * areaAfter);
    const double opposite = squared(difference(b, a));
    const double edges = opposite + squared(newA) + squared(newB);
    const double edgesBefore = opposite + squared(oldA) + squared(oldB);
    const bool isNeedle = (12 * areaAfter < needleQuality * needleQuality * edges * edges) &
                          (areaAfter * edgesBefore * edgesBefore < areaBefore * edges * edges);
    return (areaBefore != 0) & (isTurned | (noNeedles & isNeedle));
}

#ifdef __x86_64__
[[gnu::target_clones("avx2", "default")]]
#endif
bool anyLosesShape(const Sides& sides, const Vec3d& old, const Vec3d& place, bool noNeedles) {
    std::uint64_t any = 0;
    for (std::size_t i = 0; i < Sides::size; ++i)
        any |= std::uint64_t(losesShape({sides.aX[i], sides.aY[i], sides.aZ[i]},
                                        {sides.bX[i], sides.bY[i], sides.bZ[i]}, old, place, noNeedles));
    return any != 0;
}

// No triangle at a vertex that stays loses its shape when the vertex and `other` move from `old` to `place`, both
// counted from `origin`.
bool keepsShape(const WorkingMesh& mesh, const Fan& around, const Vec3d& old, VertexId other, const Vec3d& origin,
                const Vec3d& place, bool noNeedles) {
    Sides sides;
    std::size_t count = 0;
    for (const auto& [next, last] : around) {
        if (next == other || last == other) continue;
        sides.put(count++, mesh.place(next) - origin, mesh.place(last) - origin);
        if (count < Sides::size) continue;
        if (anyLosesShape(sides, old, place, noNeedles)) return false;
        count = 0;
    }
    // A tip on a side of no length loses nothing.
    if (count == 0) return true;
    while (count < Sides::size) sides.put(count++, old, old);
    return !anyLosesShape(sides, old, place, noNeedles);
}

void ringOf(const Fan& around, bool isRing, std::vector<VertexId>& ring) {
    ring.clear();
    if (isRing) {
        for (const auto& [next, last] : around) ring.push_back(next);
        return;
    }
    const auto add = [&](VertexId w) {
        if (std::find(ring.begin(), ring.end(), w) == ring.end()) ring.push_back(w);
    };
    for (const auto& [next, last] : around) {
        add(next);
        add(last);
    }
}

// The link condition.
bool keepsTopology(const WorkingMesh& mesh, VertexId u, VertexId v, std::span<const VertexId> apexes,
                   RuleScratch& scratch) {
    const auto isApex = [&](VertexId w) { return std::find(apexes.begin(), apexes.end(), w) != apexes.end(); };
    const auto liesOnApexes = [&](const Fan::Edge& edge) { return isApex(edge[0]) && isApex(edge[1]); };
    const Fan &around = scratch.around, &otherAround = scratch.otherAround;
    // Whoever neighbours both ends must form a triangle with the edge.
    ringOf(around, mesh.isRing(u), scratch.ring);
    ringOf(otherAround, mesh.isRing(v), scratch.otherRing);
    std::size_t common = 0;
    for (const VertexId w : scratch.otherRing)
        common += std::size_t(std::count(scratch.ring.begin(), scratch.ring.end(), w));
    if (common != apexes.size()) return false;
    // A triangle on two apexes at u and another at v would fall together; and a triangle on an open edge that is all
    // that is left of its piece would vanish.
    if (std::any_of(around.begin(), around.end(), liesOnApexes) &&
        std::any_of(otherAround.begin(), otherAround.end(), liesOnApexes))
        return false;
    if (around.size() == apexes.size() && otherAround.size() == apexes.size()) return false;
    // An inner edge between two borders would pinch the surface; an open fan has one neighbour more than triangles.
    const bool isBorder = scratch.ring.size() == around.size() + 1;
    const bool isOtherBorder = scratch.otherRing.size() == otherAround.size() + 1;
    return !(isBorder && isOtherBorder && apexes.size() != 1);
}

// Triangles that would go because they fall together once v is u.
std::size_t foldedTriangles(const WorkingMesh& mesh, VertexId u, VertexId v) {
    std::size_t folded = 0;
    mesh.forCorners(u, [&](CornerId c) {
        const VertexId next = mesh.nextOf(c), last = mesh.lastOf(c);
        if (next == v || last == v) return;
        mesh.forCorners(v, [&](CornerId d) {
            if (mesh.nextOf(d) == next && mesh.lastOf(d) == last) folded += 1;
            if (mesh.nextOf(d) == last && mesh.lastOf(d) == next) folded += 2;
        });
    });
    return folded;
}

}  // namespace

bool kindsAllow(const WorkingMesh& mesh, VertexId u, VertexId v, Strictness strictness) {
    const Kind atFirst = mesh.kinds[u], atOther = mesh.kinds[v];
    if (atFirst == Kind::Interior || atOther == Kind::Interior) return true;
    const Kind least = std::min(atFirst, atOther);
    if (least == Kind::Locked || (least == Kind::Corner && strictness != Strictness::LastResort)) return false;
    return !mesh.isLongerThan(u, Fan::mostTriangles) && mesh.protectionOfEdge(u, v) != Protection::Off;
}

int allowedRemoval(const WorkingMesh& mesh, VertexId u, VertexId v, const EdgeCost& best, Strictness strictness,
                   RuleScratch& scratch) {
    if (!scratch.around.gather(mesh, u) || !scratch.otherAround.gather(mesh, v)) return 0;
    if (!kindsAllow(mesh, u, v, strictness)) return 0;
    std::array<VertexId, 8> apexes;
    std::size_t shared = 0;
    const auto isApex = [&](VertexId w) {
        return std::find(apexes.begin(), apexes.begin() + long(shared), w) != apexes.begin() + long(shared);
    };
    const bool mayChange = mesh.topology() == TopologyRule::MayChange;
    for (const auto& [next, last] : scratch.around) {
        if (next != v && last != v) continue;
        const VertexId apex = next == v ? last : next;
        if (shared == apexes.size() || (!mayChange && isApex(apex))) return 0;
        apexes[shared++] = apex;
    }
    if (shared == 0) return 0;
    if (mayChange)
        shared += foldedTriangles(mesh, u, v);
    else if (!keepsTopology(mesh, u, v, {apexes.data(), shared}, scratch))
        return 0;
    const Vec3d origin = mesh.place(u), apart = mesh.place(v) - origin;
    // In a flat place a needle does no harm, and whatever is next to go takes it along.
    const bool noNeedles = strictness == Strictness::Careful && !best.isFlat;
    if (!keepsShape(mesh, scratch.around, Vec3d::Zero(), v, origin, best.place, noNeedles) ||
        !keepsShape(mesh, scratch.otherAround, apart, u, origin, best.place, noNeedles))
        return 0;
    return int(shared);
}

}  // namespace um
