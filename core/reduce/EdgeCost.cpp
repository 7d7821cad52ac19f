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

struct Best {
    Vec3d place;
    double error;
};

// Between two ends that are as free as one another. Number by number and without a branch, so that it can be done for
// several edges at once.
[[gnu::always_inline]] inline Best bestPlace(const Quadric& sum, const Vec3d& apart) {
    const Vec3d middle(apart[0] / 2, apart[1] / 2, apart[2] / 2);
    const Vec3d found = sum.minimum(middle);
    const Vec3d off(found[0] - middle[0], found[1] - middle[1], found[2] - middle[2]);
    // Where the planes are nearly parallel the optimum runs away; an end or the middle is as good.
    const bool runsAway = Quadric::dot(off, off) > 4 * Quadric::dot(apart, apart);
    const double atMiddle = sum.at(middle), atFirst = sum.c, atOther = sum.at(apart), atFound = sum.at(found);
    const bool isFirst = atFirst < atMiddle;
    const double atEither = isFirst ? atFirst : atMiddle;
    const bool isOther = atOther < atEither;
    const double atSafe = isOther ? atOther : atEither;
    const auto placeAlong = [&](int axis) {
        const double either = isFirst ? 0 : middle[axis];
        const double safe = isOther ? apart[axis] : either;
        return runsAway ? safe : found[axis];
    };
    return {{placeAlong(0), placeAlong(1), placeAlong(2)}, runsAway ? atSafe : atFound};
}

// Edges that the best place is looked for at once; the compiler turns the arrays into wide registers.
struct EdgeBatch {
    static constexpr std::size_t size = 4;
    using Lanes = std::array<double, size>;

    std::array<Lanes, 10> sums{};
    std::array<Lanes, 3> apart{}, place{};
    Lanes error{};

    void put(std::size_t i, const Quadric& sum, const Vec3d& to) {
        const std::array<double, 10> numbers = {sum.xx,  sum.xy,  sum.xz,  sum.yy,  sum.yz,
                                                sum.zz,  sum.b[0], sum.b[1], sum.b[2], sum.c};
        for (std::size_t k = 0; k < numbers.size(); ++k) sums[k][i] = numbers[k];
        for (std::size_t k = 0; k < 3; ++k) apart[k][i] = to[long(k)];
    }
};

#ifdef __x86_64__
__attribute__((target_clones("avx2", "default")))
#endif
void findBestPlaces(EdgeBatch& batch) {
    for (std::size_t i = 0; i < EdgeBatch::size; ++i) {
        Quadric sum;
        sum.xx = batch.sums[0][i];
        sum.xy = batch.sums[1][i];
        sum.xz = batch.sums[2][i];
        sum.yy = batch.sums[3][i];
        sum.yz = batch.sums[4][i];
        sum.zz = batch.sums[5][i];
        sum.b = {batch.sums[6][i], batch.sums[7][i], batch.sums[8][i]};
        sum.c = batch.sums[9][i];
        const Best best = bestPlace(sum, {batch.apart[0][i], batch.apart[1][i], batch.apart[2][i]});
        batch.place[0][i] = best.place[0];
        batch.place[1][i] = best.place[1];
        batch.place[2][i] = best.place[2];
        batch.error[i] = best.error;
    }
}

// No triangle at a vertex that stays is turned over, nor squeezed to a needle where that counts, when the vertex and
// `other` move from `old` to `place`, both counted from `origin`.
bool keepsShape(const WorkingMesh& mesh, const std::vector<OppositeEdge>& around, const Vec3d& old, VertexId other,
                const Vec3d& origin, const Vec3d& place, bool noNeedles) {
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

void ringOf(const std::vector<OppositeEdge>& around, std::vector<VertexId>& ring) {
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
bool keepsTopology(std::span<const VertexId> apexes, EdgeScratch& scratch) {
    const auto isApex = [&](VertexId w) { return std::find(apexes.begin(), apexes.end(), w) != apexes.end(); };
    const auto liesOnApexes = [&](const OppositeEdge& edge) { return isApex(edge[0]) && isApex(edge[1]); };
    const std::vector<OppositeEdge>&around = scratch.around, &otherAround = scratch.otherAround;
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

namespace {

bool areAsFree(const WorkingMesh& mesh, VertexId u, VertexId v) {
    return mesh.kinds[u] == mesh.kinds[v] && mesh.kinds[u] < Kind::Corner;
}

// An end that may not move, or less freely, stays where it is.
Best bestEnd(const Quadric& sum, Kind atFirst, Kind atOther, const Vec3d& apart) {
    const double first = sum.c, other = sum.at(apart);
    if (atFirst == atOther ? first <= other : atFirst > atOther) return {Vec3d::Zero(), first};
    return {apart, other};
}

// The error of both ends together, counted from u.
Quadric sumAt(const WorkingMesh& mesh, VertexId u, VertexId v, const Vec3d& apart) {
    Quadric sum = Quadric(mesh.quadrics[v]).seenFrom(-apart);
    sum += Quadric(mesh.quadrics[u]);
    if (mesh.attributes.channels() > 0 && mesh.haveOneWedgeEach(u, v)) {
        mesh.attributes.putInJoined(mesh.wedgeAt(mesh.firstCorner[u]), mesh.wedgeAt(mesh.firstCorner[v]), apart, sum);
    } else if (mesh.attributes.channels() > 0) {
        std::array<WorkingMesh::WedgeGroup, WorkingMesh::mostGroups> groups;
        const std::size_t count = mesh.wedgeGroups(u, v, groups, sum);
        for (std::size_t i = 0; i < count; ++i) putInBestValues(groups[i].sums, mesh.attributes.channels(), sum);
    }
    return sum;
}

EdgeCost costAt(const WorkingMesh& mesh, VertexId u, VertexId v, const Best& best, double scale) {
    double error = std::max(0.0, best.error) + mesh.skinCost(u, v);
    if (mesh.farDistance() > 0) {
        const double farthest = std::max(farthestPlane(mesh, u, mesh.place(u), best.place),
                                         farthestPlane(mesh, v, mesh.place(u), best.place));
        error *= 1 + farthest / (mesh.farDistance() * mesh.farDistance());
    }
    return {float(error + shortFirst * scale), error <= flatShare * scale, best.place};
}

}  // namespace

EdgeCost costOfEdge(const WorkingMesh& mesh, VertexId u, VertexId v) {
    const Vec3d apart = mesh.place(v) - mesh.place(u);
    const Quadric sum = sumAt(mesh, u, v, apart);
    const Best best =
        areAsFree(mesh, u, v) ? bestPlace(sum, apart) : bestEnd(sum, mesh.kinds[u], mesh.kinds[v], apart);
    return costAt(mesh, u, v, best, sum.trace() * apart.squaredNorm());
}

void costsOfEdges(const WorkingMesh& mesh, VertexId u, std::span<const VertexId> others, float* costs) {
    for (std::size_t first = 0; first < others.size(); first += EdgeBatch::size) {
        const std::size_t count = std::min(EdgeBatch::size, others.size() - first);
        EdgeBatch batch;
        std::array<Best, EdgeBatch::size> ends;
        std::array<double, EdgeBatch::size> scales;
        for (std::size_t i = 0; i < count; ++i) {
            const VertexId v = others[first + i];
            const Vec3d apart = mesh.place(v) - mesh.place(u);
            const Quadric sum = sumAt(mesh, u, v, apart);
            scales[i] = sum.trace() * apart.squaredNorm();
            batch.put(i, sum, apart);
            if (!areAsFree(mesh, u, v)) ends[i] = bestEnd(sum, mesh.kinds[u], mesh.kinds[v], apart);
        }
        findBestPlaces(batch);
        for (std::size_t i = 0; i < count; ++i) {
            const VertexId v = others[first + i];
            const Best found{{batch.place[0][i], batch.place[1][i], batch.place[2][i]}, batch.error[i]};
            costs[first + i] = costAt(mesh, u, v, areAsFree(mesh, u, v) ? found : ends[i], scales[i]).cost;
        }
    }
}

bool kindsAllow(const WorkingMesh& mesh, VertexId u, VertexId v, Strictness strictness) {
    const Kind atFirst = mesh.kinds[u], atOther = mesh.kinds[v];
    if (atFirst == Kind::Interior || atOther == Kind::Interior) return true;
    const Kind least = std::min(atFirst, atOther);
    if (least == Kind::Locked || (least == Kind::Corner && strictness != Strictness::LastResort)) return false;
    return !mesh.isLongerThan(u, mostTrianglesAround) && mesh.protectionOfEdge(u, v) != Protection::Off;
}

bool edgesAround(const WorkingMesh& mesh, VertexId v, std::vector<OppositeEdge>& edges) {
    edges.clear();
    for (CornerId c = mesh.firstCorner[v]; c != none; c = mesh.nextCorner[c]) {
        if (edges.size() == mostTrianglesAround) return false;
        edges.push_back({mesh.nextOf(c), mesh.lastOf(c)});
    }
    return true;
}

int allowedRemoval(const WorkingMesh& mesh, VertexId u, VertexId v, const EdgeCost& best, Strictness strictness,
                   EdgeScratch& scratch) {
    if (!edgesAround(mesh, u, scratch.around) || !edgesAround(mesh, v, scratch.otherAround)) return 0;
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
