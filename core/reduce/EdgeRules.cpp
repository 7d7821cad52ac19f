#include "reduce/EdgeRules.h"

#include <span>

namespace um {

namespace {

// The least cosine between a triangle's normals before and after one contraction. Wider turns would add up to folds.
constexpr double leastTurn = 0.5;

// 2 sqrt(3) |normal| / (sum of squared edges): 1 for an equilateral triangle, 0 for a needle.
constexpr double needleQuality = 0.04;

// No triangle at a vertex that stays is turned over, nor squeezed to a needle where that counts, when the vertex and
// `other` move from `old` to `place`, both counted from `origin`.
bool keepsShape(const WorkingMesh& mesh, const Fan& around, const Vec3d& old, VertexId other, const Vec3d& origin,
                const Vec3d& place, bool noNeedles) {
    for (const auto& [next, last] : around) {
        if (next == other || last == other) continue;
        const Vec3d a = mesh.place(next) - origin;
        const Vec3d b = mesh.place(last) - origin;
        const Vec3d before = (a - old).cross(b - old);
        const Vec3d after = (a - place).cross(b - place);
        const double beforeSquared = before.squaredNorm();
        const double afterSquared = after.squaredNorm();
        if (beforeSquared == 0) continue;
        const double along = before.dot(after);
        if (along <= 0 || along * along < leastTurn * leastTurn * beforeSquared * afterSquared) return false;
        if (!noNeedles) continue;
        const double opposite = (b - a).squaredNorm();
        const double edges = opposite + (a - place).squaredNorm() + (b - place).squaredNorm();
        if (12 * afterSquared >= needleQuality * needleQuality * edges * edges) continue;
        const double edgesBefore = opposite + (a - old).squaredNorm() + (b - old).squaredNorm();
        if (afterSquared * edgesBefore * edgesBefore < beforeSquared * edges * edges) return false;
    }
    return true;
}

void ringOf(const Fan& around, std::vector<VertexId>& ring) {
    ring.clear();
    const auto add = [&](VertexId w) {
        if (std::find(ring.begin(), ring.end(), w) == ring.end()) ring.push_back(w);
    };
    for (const auto& [next, last] : around) {
        add(next);
        add(last);
    }
}

// The link condition.
bool keepsTopology(std::span<const VertexId> apexes, RuleScratch& scratch) {
    const auto isApex = [&](VertexId w) { return std::find(apexes.begin(), apexes.end(), w) != apexes.end(); };
    const auto liesOnApexes = [&](const Fan::Edge& edge) { return isApex(edge[0]) && isApex(edge[1]); };
    const Fan &around = scratch.around, &otherAround = scratch.otherAround;
    // Whoever neighbours both ends must form a triangle with the edge.
    ringOf(around, scratch.ring);
    ringOf(otherAround, scratch.otherRing);
    std::size_t common = 0;
    for (const VertexId w : scratch.otherRing)
        common += std::find(scratch.ring.begin(), scratch.ring.end(), w) != scratch.ring.end() ? 1 : 0;
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
    else if (!keepsTopology({apexes.data(), shared}, scratch))
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
