#include "bake/Cage.h"

#include "measure/ClosestOfMany.h"
#include "mesh/Connectivity.h"

#include <cmath>

namespace um {

Cage makeCage(const Mesh& source, const Mesh& level, const CageSettings& settings, const Progress& progress) {
    // Rays are not square to the surface everywhere, and the farthest place lies between vertices.
    constexpr float more = 1.5f, leastShareOfSize = 2e-4f;
    Cage cage;
    const ClosestPointFinder finder(level, progress.span(0, 0.1));
    cage.directions = vertexNormals(level, finder.around());
    if (settings.depth > 0) {
        cage.depths.assign(level.vertexCount(), float(settings.depth));
        pushCage(cage, level, settings.pushes);
        progress.at(1);
        return cage;
    }
    // How far the source is from each triangle of the level, as far as its vertices tell.
    std::vector<float> distance(source.vertexCount());
    std::vector<TriangleId> closest(source.vertexCount());
    const ClosestPointFinder sourceFinder(source, progress.span(0.1, 0.4));
    const std::vector<VertexId> order = sourceFinder.vertexOrder();
    findClosestOfMany(
        finder, order.size(), [&](std::size_t i) { return Vec3d(source.positions[order[i]].cast<double>()); },
        [&](std::size_t i, const Vec3d&, const SurfacePoint& point) {
            distance[order[i]] = float(point.distance);
            closest[order[i]] = point.triangle;
        },
        progress.span(0.4, 0.8));
    std::vector<float> ofTriangle(level.triangleCount(), 0);
    for (std::size_t v = 0; v < distance.size(); ++v)
        ofTriangle[closest[v]] = std::max(ofTriangle[closest[v]], distance[v]);
    const float least = leastShareOfSize * float(diagonal(level));
    std::vector<float> own(level.vertexCount());
    const std::vector<VertexId> levelOrder = finder.vertexOrder();
    findClosestOfMany(
        sourceFinder, levelOrder.size(),
        [&](std::size_t i) { return Vec3d(level.positions[levelOrder[i]].cast<double>()); },
        [&](std::size_t i, const Vec3d&, const SurfacePoint& point) {
            const VertexId v = levelOrder[i];
            own[v] = std::max(least, float(point.distance));
            for (const TriangleId t : finder.around().of(v)) own[v] = std::max(own[v], ofTriangle[t]);
        },
        progress.span(0.8, 0.95));
    // A vertex beside a deep one is as deep as that, so that rays between them reach as far.
    cage.depths.resize(own.size());
    parallelFor(own.size(), [&](std::size_t v) {
        float most = own[v];
        for (const TriangleId t : finder.around().of(VertexId(v)))
            for (const VertexId other : level.triangles[t]) most = std::max(most, own[other]);
        cage.depths[v] = float(settings.factor) * more * most;
    });
    pushCage(cage, level, settings.pushes);
    progress.at(1);
    return cage;
}

void pushCage(Cage& cage, const Mesh& level, const std::vector<CagePush>& pushes) {
    if (pushes.empty()) return;
    parallelFor(cage.depths.size(), [&](std::size_t v) {
        double doublings = 0;
        for (const CagePush& push : pushes) {
            const float share = 1 - (level.positions[v] - push.centre).squaredNorm() / (push.radius * push.radius);
            if (share > 0) doublings += double(share * share) * std::log2(double(push.factor));
        }
        constexpr double most = 6.64;  // a hundred times
        cage.depths[v] *= float(std::exp2(std::clamp(doublings, -most, most)));
    });
}

Mesh cageMesh(const Mesh& level, const Cage& cage) {
    Mesh mesh;
    mesh.triangles = level.triangles;
    mesh.positions.resize(level.vertexCount());
    for (std::size_t v = 0; v < mesh.positions.size(); ++v)
        mesh.positions[v] = level.positions[v] + cage.depths[v] * cage.directions[v];
    mesh.metresPerUnit = level.metresPerUnit;
    ensureSections(mesh, "Cage");
    return mesh;
}

}  // namespace um
