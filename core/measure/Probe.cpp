#include "measure/Probe.h"

#include "base/Parallel.h"
#include "base/TrianglePoint.h"

namespace um {
namespace {

// The nearest of what `ask` tells of each triangle; of equals the first.
template <class Ask>
std::optional<SurfacePoint> nearest(const Mesh& mesh, const Ask& ask) {
    constexpr std::size_t chunkSize = 1 << 14;
    std::vector<std::optional<SurfacePoint>> best(chunkCount(mesh.triangleCount(), chunkSize));
    const auto keepNearer = [](std::optional<SurfacePoint>& kept, const std::optional<SurfacePoint>& other) {
        if (other && (!kept || other->distance < kept->distance)) kept = other;
    };
    parallelChunks(mesh.triangleCount(), chunkSize, [&](std::size_t chunk, std::size_t begin, std::size_t end) {
        for (std::size_t t = begin; t < end; ++t) {
            const Triangle& triangle = mesh.triangles[t];
            keepNearer(best[chunk],
                       ask(TriangleId(t), mesh.positions[triangle[0]].cast<double>(),
                           mesh.positions[triangle[1]].cast<double>(), mesh.positions[triangle[2]].cast<double>()));
        }
    });
    std::optional<SurfacePoint> result;
    for (const auto& one : best) keepNearer(result, one);
    return result;
}

}  // namespace

std::optional<SurfacePoint> firstHit(const Mesh& mesh, const Vec3d& from, const Vec3d& direction) {
    const Vec3d along = direction.normalized();
    return nearest(mesh, [&](TriangleId t, const Vec3d& a, const Vec3d& b, const Vec3d& c) {
        const Vec3d ab = b - a, ac = c - a, square = along.cross(ac);
        const double determinant = ab.dot(square);
        std::optional<SurfacePoint> none;
        if (determinant == 0) return none;
        const Vec3d fromA = from - a, tilted = fromA.cross(ab);
        const double second = fromA.dot(square) / determinant, third = along.dot(tilted) / determinant;
        const double way = ac.dot(tilted) / determinant;
        if (!(second >= 0 && third >= 0 && second + third <= 1 && way > 0)) return none;
        return std::optional<SurfacePoint>({t, from + way * along, way});
    });
}

std::optional<SurfacePoint> closestOnMesh(const Mesh& mesh, const Vec3d& place) {
    return nearest(mesh, [&](TriangleId t, const Vec3d& a, const Vec3d& b, const Vec3d& c) {
        const Vec3d closest = closestOnTriangle(place, a, b, c).of(a, b, c);
        return std::optional<SurfacePoint>({t, closest, (closest - place).norm()});
    });
}

std::optional<Probe> probe(const Mesh& surface, bool isSource, const Mesh& other, const Vec3d& from,
                           const Vec3d& direction) {
    const auto hit = firstHit(surface, from, direction);
    const auto closest = hit ? closestOnMesh(other, hit->place) : std::nullopt;
    if (!closest) return std::nullopt;
    const Triangle& t = surface.triangles[hit->triangle];
    const Vec3d normal = areaNormal(surface.positions[t[0]].cast<double>(), surface.positions[t[1]].cast<double>(),
                                    surface.positions[t[2]].cast<double>());
    const Vec3d sourceToLevel = isSource ? closest->place - hit->place : hit->place - closest->place;
    Probe result{hit->place, closest->place, sourceToLevel.dot(normal) < 0 ? -closest->distance : closest->distance, 0};
    for (const Section& section : surface.sections)
        if (hit->triangle >= section.firstTriangle && hit->triangle - section.firstTriangle < section.triangleCount)
            result.part = section.part;
    return result;
}

}  // namespace um
