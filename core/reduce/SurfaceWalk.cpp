#include "reduce/SurfaceWalk.h"

namespace um {

namespace {

constexpr VertexId none = std::numeric_limits<VertexId>::max();

}  // namespace

Closest closestOf(const Mesh& mesh, const Vec3d& p, TriangleId t) {
    const Triangle& triangle = mesh.triangles[t];
    const Vec3d a = mesh.positions[triangle[0]].cast<double>(), b = mesh.positions[triangle[1]].cast<double>(),
                c = mesh.positions[triangle[2]].cast<double>();
    const TrianglePoint at = closestOnTriangle(p, a, b, c);
    return {t, at, (at.of(a, b, c) - p).squaredNorm()};
}

Closest walkCloser(const Mesh& mesh, const VertexTriangles& around, const Vec3d& p, TriangleId start) {
    constexpr int mostSteps = 32;
    Closest best = closestOf(mesh, p, start);
    for (int step = 0; step < mostSteps; ++step) {
        const Closest from = best;
        const Triangle& triangle = mesh.triangles[from.triangle];
        const std::array<bool, 3> isOff = {from.at.first() <= 1e-12, from.at.second <= 0, from.at.third <= 0};
        const int off = int(isOff[0]) + int(isOff[1]) + int(isOff[2]);
        if (off == 0) break;
        const std::size_t k = off == 2 ? (isOff[0] ? (isOff[1] ? 2u : 1u) : 0u) : (isOff[0] ? 1u : 0u);
        // The other end of the edge, where it is an edge.
        const VertexId other = off == 2 ? none : triangle[isOff[0] || isOff[1] ? 2 : 1];
        for (const TriangleId t : around.of(triangle[k])) {
            if (t == from.triangle) continue;
            const Triangle& next = mesh.triangles[t];
            if (other != none && next[0] != other && next[1] != other && next[2] != other) continue;
            const Closest there = closestOf(mesh, p, t);
            if (there.squaredDistance < best.squaredDistance) best = there;
        }
        if (best.triangle == from.triangle) break;
    }
    return best;
}

Closest walkWidely(const Mesh& mesh, const VertexTriangles& around, const Vec3d& p, TriangleId start) {
    constexpr int mostSteps = 16;
    Closest best = closestOf(mesh, p, start);
    TriangleId before = none;
    for (int step = 0; step < mostSteps; ++step) {
        const Triangle from = mesh.triangles[best.triangle];
        const TriangleId here = best.triangle;
        for (const VertexId v : from) {
            // What lay around the last triangle too has been looked at.
            if (before != none && contains(mesh.triangles[before], v)) continue;
            for (const TriangleId t : around.of(v)) {
                const Closest there = closestOf(mesh, p, t);
                if (there.squaredDistance < best.squaredDistance) best = there;
            }
        }
        if (best.triangle == here) break;
        before = here;
    }
    return best;
}

}  // namespace um
