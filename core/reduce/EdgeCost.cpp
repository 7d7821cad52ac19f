#include "reduce/EdgeCost.h"

#include <span>

namespace um {

namespace {

// The least cosine between a triangle's normals before and after one contraction. Wider turns would add up to folds.
constexpr double leastTurn = 0.5;

// 2 sqrt(3) |normal| / (sum of squared edges): 1 for an equilateral triangle, 0 for a needle.
constexpr double needleQuality = 0.04;

// Of an edge's squared length: errors below are what quadrics in single precision leave of none.
constexpr double flatShare = 1e-7;

// So much of it counts as error anyway: where it costs nothing, small triangles go first, and fans stay small.
constexpr double shortFirst = 1e-9;

Vec3d bestPlace(const Quadric& sum, Kind atFirst, Kind atOther, const Vec3d& apart) {
    if (atFirst != atOther) return atFirst > atOther ? Vec3d(Vec3d::Zero()) : apart;
    if (atFirst >= Kind::Corner) return sum.at(Vec3d::Zero()) <= sum.at(apart) ? Vec3d(Vec3d::Zero()) : apart;
    Vec3d place = sum.minimum(apart / 2);
    // Where the planes are nearly parallel the optimum runs away; an end or the middle is as good.
    if ((place - apart / 2).squaredNorm() > 4 * apart.squaredNorm()) {
        place = apart / 2;
        if (sum.at(Vec3d::Zero()) < sum.at(place)) place = Vec3d::Zero();
        if (sum.at(apart) < sum.at(place)) place = apart;
    }
    return place;
}

// No triangle at `from` that stays is turned over, nor squeezed to a needle where that counts, when `from` and `other`
// move to `place`.
bool keepsShape(const WorkingMesh& mesh, VertexId from, VertexId other, const Vec3d& origin, const Vec3d& place,
                bool noNeedles) {
    const Vec3d old = mesh.place(from) - origin;
    for (CornerId c = mesh.firstCorner[from]; c != none; c = mesh.nextCorner[c]) {
        const VertexId next = mesh.nextOf(c), last = mesh.lastOf(c);
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

// The largest squared distance from `place` to a plane of a triangle at v, both counted from `origin`.
double farthestPlane(const WorkingMesh& mesh, VertexId v, const Vec3d& origin, const Vec3d& place) {
    const Vec3d here = mesh.place(v) - origin;
    double farthest = 0;
    mesh.forCorners(v, [&](CornerId c) {
        const Vec3d a = mesh.place(mesh.nextOf(c)) - origin, b = mesh.place(mesh.lastOf(c)) - origin;
        const Vec3d normal = (a - here).cross(b - here);
        const double squared = normal.squaredNorm(), along = normal.dot(place - here);
        if (squared > 0) farthest = std::max(farthest, along * along / squared);
    });
    return farthest;
}

void ringOf(const WorkingMesh& mesh, VertexId v, std::vector<VertexId>& ring) {
    ring.clear();
    const auto add = [&](VertexId w) {
        if (std::find(ring.begin(), ring.end(), w) == ring.end()) ring.push_back(w);
    };
    mesh.forCorners(v, [&](CornerId c) {
        add(mesh.nextOf(c));
        add(mesh.lastOf(c));
    });
}

// The link condition.
bool keepsTopology(const WorkingMesh& mesh, VertexId u, VertexId v, std::span<const VertexId> apexes,
                   EdgeScratch& scratch) {
    const auto isApex = [&](VertexId w) { return std::find(apexes.begin(), apexes.end(), w) != apexes.end(); };
    // Whoever neighbours both ends must form a triangle with the edge.
    ringOf(mesh, u, scratch.ring);
    ringOf(mesh, v, scratch.otherRing);
    std::size_t common = 0;
    for (const VertexId w : scratch.otherRing)
        common += std::find(scratch.ring.begin(), scratch.ring.end(), w) != scratch.ring.end() ? 1 : 0;
    if (common != apexes.size()) return false;
    // A triangle on two apexes at u and another at v would fall together; and a triangle on an open edge that is all
    // that is left of its piece would vanish.
    bool onApexes[2] = {false, false}, onBorder[2] = {false, false};
    std::size_t corners[2] = {0, 0};
    for (int side = 0; side < 2; ++side) {
        mesh.forCorners(side == 0 ? u : v, [&](CornerId c) {
            ++corners[side];
            if (isApex(mesh.nextOf(c)) && isApex(mesh.lastOf(c))) onApexes[side] = true;
        });
        // An open fan has one neighbour more than triangles.
        onBorder[side] = (side == 0 ? scratch.ring : scratch.otherRing).size() == corners[side] + 1;
    }
    if (onApexes[0] && onApexes[1]) return false;
    if (corners[0] == apexes.size() && corners[1] == apexes.size()) return false;
    // An inner edge between two borders would pinch the surface.
    return !(onBorder[0] && onBorder[1] && apexes.size() != 1);
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

EdgeCost costOfEdge(const WorkingMesh& mesh, VertexId u, VertexId v) {
    const Vec3d apart = mesh.place(v) - mesh.place(u);
    Quadric sum = Quadric(mesh.quadrics[v]).seenFrom(-apart);
    sum += Quadric(mesh.quadrics[u]);
    if (mesh.attributes.channels() > 0 && mesh.haveOneWedgeEach(u, v)) {
        mesh.attributes.putInJoined(mesh.wedgeAt(mesh.firstCorner[u]), mesh.wedgeAt(mesh.firstCorner[v]), apart, sum);
    } else if (mesh.attributes.channels() > 0) {
        std::array<WorkingMesh::WedgeGroup, WorkingMesh::mostGroups> groups;
        const std::size_t count = mesh.wedgeGroups(u, v, groups, sum);
        for (std::size_t i = 0; i < count; ++i) putInBestValues(groups[i].sums, mesh.attributes.channels(), sum);
    }
    EdgeCost result;
    result.place = bestPlace(sum, mesh.kinds[u], mesh.kinds[v], apart);
    double error = std::max(0.0, sum.at(result.place)) + mesh.skinCost(u, v);
    const double scale = sum.trace() * apart.squaredNorm();
    if (mesh.farDistance() > 0) {
        const double farthest = std::max(farthestPlane(mesh, u, mesh.place(u), result.place),
                                         farthestPlane(mesh, v, mesh.place(u), result.place));
        error *= 1 + farthest / (mesh.farDistance() * mesh.farDistance());
    }
    result.isFlat = error <= flatShare * scale;
    result.cost = float(error + shortFirst * scale);
    return result;
}

bool kindsAllow(const WorkingMesh& mesh, VertexId u, VertexId v, Strictness strictness) {
    const Kind atFirst = mesh.kinds[u], atOther = mesh.kinds[v];
    if (atFirst == Kind::Interior || atOther == Kind::Interior) return true;
    const Kind least = std::min(atFirst, atOther);
    if (least == Kind::Locked || (least == Kind::Corner && strictness != Strictness::LastResort)) return false;
    return !mesh.isLongerThan(u, mostTrianglesAround) && mesh.protectionOfEdge(u, v) != Protection::Off;
}

int allowedRemoval(const WorkingMesh& mesh, VertexId u, VertexId v, const EdgeCost& best, Strictness strictness,
                   EdgeScratch& scratch) {
    if (mesh.isLongerThan(u, mostTrianglesAround) || mesh.isLongerThan(v, mostTrianglesAround)) return 0;
    if (!kindsAllow(mesh, u, v, strictness)) return 0;
    std::array<VertexId, 8> apexes;
    std::size_t shared = 0;
    const auto isApex = [&](VertexId w) {
        return std::find(apexes.begin(), apexes.begin() + long(shared), w) != apexes.begin() + long(shared);
    };
    const bool mayChange = mesh.topology() == TopologyRule::MayChange;
    bool fits = true;
    mesh.forCorners(u, [&](CornerId c) {
        const VertexId next = mesh.nextOf(c), last = mesh.lastOf(c);
        if (next != v && last != v) return;
        const VertexId apex = next == v ? last : next;
        fits = fits && shared < apexes.size() && (mayChange || !isApex(apex));
        if (fits) apexes[shared++] = apex;
    });
    if (!fits || shared == 0) return 0;
    if (mayChange)
        shared += foldedTriangles(mesh, u, v);
    else if (!keepsTopology(mesh, u, v, {apexes.data(), shared}, scratch))
        return 0;
    const Vec3d origin = mesh.place(u);
    // In a flat place a needle does no harm, and whatever is next to go takes it along.
    const bool noNeedles = strictness == Strictness::Careful && !best.isFlat;
    if (!keepsShape(mesh, u, v, origin, best.place, noNeedles) ||
        !keepsShape(mesh, v, u, origin, best.place, noNeedles))
        return 0;
    return int(shared);
}

}  // namespace um
