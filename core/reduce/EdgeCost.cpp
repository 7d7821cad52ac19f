#include "reduce/EdgeCost.h"

namespace um {

namespace {

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

bool areAsFree(const WorkingMesh& mesh, VertexId u, VertexId v) {
    return mesh.kinds[u] == mesh.kinds[v] && mesh.kinds[u] < Kind::Corner;
}

// An end that may not move, or less freely, stays where it is.
Best bestEnd(const Quadric& sum, Kind atFirst, Kind atOther, const Vec3d& apart) {
    const double first = sum.c, other = sum.at(apart);
    if (atFirst == atOther ? first <= other : atFirst > atOther) return {Vec3d::Zero(), first};
    return {apart, other};
}

// The error of both ends together, counted from u, in shape alone.
Quadric shapeSum(const WorkingMesh& mesh, VertexId u, VertexId v, const Vec3d& apart) {
    Quadric sum = Quadric(mesh.quadrics[v]).seenFrom(-apart);
    sum += Quadric(mesh.quadrics[u]);
    return sum;
}

// The same with what they carry.
Quadric wholeSum(const WorkingMesh& mesh, VertexId u, VertexId v, const Vec3d& apart) {
    Quadric sum = shapeSum(mesh, u, v, apart);
    if (mesh.attributes.channels() > 0 && mesh.haveOneWedgeEach(u, v)) {
        mesh.attributes.putInJoined(mesh.wedgeAt(mesh.firstCorner[u]), mesh.wedgeAt(mesh.firstCorner[v]), apart, sum);
    } else if (mesh.attributes.channels() > 0) {
        std::array<WorkingMesh::WedgeGroup, WorkingMesh::mostGroups> groups;
        const std::size_t count = mesh.wedgeGroups(u, v, groups, sum);
        for (std::size_t i = 0; i < count; ++i) putInBestValues(groups[i].sums, mesh.attributes.channels(), sum);
    }
    return sum;
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

#ifdef __x86_64__
[[gnu::target_clones("avx2", "default")]]
#endif
void findBestPlaces(EdgeBatch& batch) {
    for (std::size_t i = 0; i < EdgeBatch::size; ++i) {
        const Best best = bestPlace(batch.sum(i), batch.apart(i));
        batch.x[i] = best.place[0];
        batch.y[i] = best.place[1];
        batch.z[i] = best.place[2];
        batch.error[i] = best.error;
    }
}

// @param farthest  squared, of all planes at both ends; looked at only where what is far costs more
EdgeCost costAt(const WorkingMesh& mesh, VertexId u, VertexId v, const Best& best, double scale, double farthest) {
    double error = std::max(0.0, best.error) + mesh.skinCost(u, v);
    if (mesh.farDistance() > 0) error *= 1 + farthest / (mesh.farDistance() * mesh.farDistance());
    return {float(error + shortFirst * scale), error <= flatShare * scale, best.place};
}

}  // namespace

EdgeCost costOfEdge(const WorkingMesh& mesh, VertexId u, VertexId v) {
    const Vec3d here = mesh.place(u), apart = mesh.place(v) - here;
    const Quadric sum = wholeSum(mesh, u, v, apart);
    const Best best = areAsFree(mesh, u, v) ? bestPlace(sum, apart) : bestEnd(sum, mesh.kinds[u], mesh.kinds[v], apart);
    double farthest = 0;
    if (mesh.farDistance() > 0)
        farthest = std::max(farthestPlane(mesh, u, here, best.place), farthestPlane(mesh, v, here, best.place));
    return costAt(mesh, u, v, best, sum.trace() * apart.squaredNorm(), farthest);
}

std::span<const float> EdgeCosts::of(const WorkingMesh& mesh, VertexId u, const Fan& around,
                                     std::span<const VertexId> others) {
    m_costs.resize(others.size());
    const Vec3d here = mesh.place(u);
    m_planes.clear();
    if (mesh.farDistance() > 0)
        for (const auto& [next, last] : around) {
            const Vec3d normal = (mesh.place(next) - here).cross(mesh.place(last) - here);
            m_planes.push_back({normal, normal.squaredNorm()});
        }
    const auto farthestAt = [&](VertexId v, const Vec3d& place) {
        double farthest = farthestPlane(mesh, v, here, place);
        for (const Plane& plane : m_planes) {
            const double along = plane.normal.dot(place);
            if (plane.squared > 0) farthest = std::max(farthest, along * along / plane.squared);
        }
        return farthest;
    };
    for (std::size_t first = 0; first < others.size(); first += EdgeBatch::size) {
        const std::span<const VertexId> some = others.subspan(first, std::min(EdgeBatch::size, others.size() - first));
        putIn(mesh, u, some);
        findBestPlaces(m_batch);
        for (std::size_t i = 0; i < some.size(); ++i) {
            const VertexId v = some[i];
            const Vec3d apart = m_batch.apart(i);
            const Quadric sum = m_batch.sum(i);
            const Best best = areAsFree(mesh, u, v) ? Best{m_batch.place(i), m_batch.error[i]}
                                                    : bestEnd(sum, mesh.kinds[u], mesh.kinds[v], apart);
            const double farthest = mesh.farDistance() > 0 ? farthestAt(v, best.place) : 0;
            m_costs[first + i] = costAt(mesh, u, v, best, sum.trace() * apart.squaredNorm(), farthest).cost;
        }
    }
    return m_costs;
}

// Of at most as many as a batch has.
void EdgeCosts::putIn(const WorkingMesh& mesh, VertexId u, std::span<const VertexId> others) {
    const bool carries = mesh.attributes.channels() > 0;
    const WedgeId own = carries ? mesh.wedgeAt(mesh.firstCorner[u]) : 0;
    std::array<WedgeId, EdgeBatch::size> wedges;
    wedges.fill(own);
    for (std::size_t i = 0; i < others.size(); ++i) {
        const Vec3d apart = mesh.place(others[i]) - mesh.place(u);
        m_batch.putOtherEnd(i, apart);
        m_batch.put(i, shapeSum(mesh, u, others[i], apart));
        if (carries) wedges[i] = mesh.wedgeAt(mesh.firstCorner[others[i]]);
    }
    if (!carries) return;
    mesh.attributes.putInJoined(own, wedges, m_batch);
    for (std::size_t i = 0; i < others.size(); ++i)
        if (!mesh.haveOneWedgeEach(u, others[i])) m_batch.put(i, wholeSum(mesh, u, others[i], m_batch.apart(i)));
}

}  // namespace um
