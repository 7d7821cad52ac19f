#include "measure/ShapeChange.h"

#include "base/TrianglePoint.h"
#include "measure/ClosestOfMany.h"
#include "mesh/Connectivity.h"

#include <cmath>

namespace um {

namespace {

constexpr std::size_t mostSamples = 1000000;

// Shading normals of corners: the mesh's own, or those of its vertices.
class Shading {
public:
    explicit Shading(const Mesh& mesh) : m_mesh(mesh) {
        if (mesh.normals.empty())
            m_smooth = vertexNormals(mesh, findVertexTriangles(mesh.triangles, mesh.vertexCount()));
    }

    Vec3d at(TriangleId t, const TrianglePoint& place) const {
        const Triangle& corners = m_smooth.empty() ? m_mesh.wedgesOf(t) : m_mesh.triangles[t];
        const std::vector<Vec3f>& normals = m_smooth.empty() ? m_mesh.normals : m_smooth;
        const auto normal = [&](std::size_t k) { return Vec3d(normals[corners[k]].cast<double>()); };
        return place.first() * normal(0) + place.second * normal(1) + place.third * normal(2);
    }

private:
    const Mesh& m_mesh;
    std::vector<Vec3f> m_smooth;
};

struct Size {
    double area = 0, volume = 0;
};

Size sizeOf(const Mesh& mesh, const Vec3d& origin) {
    constexpr std::size_t chunkSize = 1 << 14;
    std::vector<Size> sums(chunkCount(mesh.triangleCount(), chunkSize));
    parallelChunks(mesh.triangleCount(), chunkSize, [&](std::size_t chunk, std::size_t begin, std::size_t end) {
        for (std::size_t t = begin; t < end; ++t) {
            const auto [a, b, c] = cornersOf(mesh, TriangleId(t));
            sums[chunk].area += areaNormal(a, b, c).norm() / 2;
            sums[chunk].volume += (a - origin).dot((b - origin).cross(c - origin)) / 6;
        }
    });
    Size size;
    for (const Size& sum : sums) {
        size.area += sum.area;
        size.volume += sum.volume;
    }
    return size;
}

}  // namespace

ShapeChange measureShapeChange(const Mesh& source, const Mesh& level, const Progress& progress) {
    ShapeChange change;
    if (source.triangles.empty()) return change;
    const ClosestPointFinder onLevel(level, progress.span(0, 0.2));
    const Shading ofSource(source), ofLevel(level);
    struct Turn {
        double degrees = 0, weight = 0;
    };
    const std::size_t step = (source.triangleCount() + mostSamples - 1) / mostSamples;
    std::vector<Turn> turns(source.triangleCount() / step);
    progress.at(0.4);
    const TrianglePoint middle{1.0 / 3, 1.0 / 3};
    const auto triangleOf = [&](std::size_t i) { return TriangleId(i * step); };
    findClosestOfMany(
        onLevel, turns.size(),
        [&](std::size_t i) {
            const auto [a, b, c] = cornersOf(source, triangleOf(i));
            return middle.of(a, b, c);
        },
        [&](std::size_t i, const Vec3d&, const SurfacePoint& closest) {
            const auto [a, b, c] = cornersOf(source, triangleOf(i));
            const auto [x, y, z] = cornersOf(level, closest.triangle);
            const Vec3d here = ofSource.at(triangleOf(i), middle);
            const Vec3d there = ofLevel.at(closest.triangle, closestOnTriangle(closest.place, x, y, z));
            turns[i].weight = areaNormal(a, b, c).norm();
            if (here.norm() > 0 && there.norm() > 0)
                turns[i].degrees = std::atan2(here.cross(there).norm(), here.dot(there)) * 180 / pi;
        },
        progress.span(0.4, 0.9));
    double weights = 0, sum = 0;
    for (const Turn& turn : turns) {
        weights += turn.weight;
        sum += turn.weight * turn.degrees;
    }
    if (weights > 0) {
        change.meanTurn = sum / weights;
        std::sort(turns.begin(), turns.end(), [](const Turn& a, const Turn& b) {
            return a.degrees != b.degrees ? a.degrees < b.degrees : a.weight < b.weight;
        });
        double below = 0;
        for (const Turn& turn : turns) {
            below += turn.weight;
            change.p95Turn = turn.degrees;
            if (below >= 0.95 * weights) break;
        }
    }
    const Vec3d origin = boundingBox(source).center().cast<double>();
    const Size before = sizeOf(source, origin), after = sizeOf(level, origin);
    if (before.area > 0) change.areaRatio = after.area / before.area;
    // Of sheets and scraps the sum says nothing.
    const double least = 1e-6 * before.area * std::sqrt(before.area);
    if (std::abs(before.volume) > least) change.volumeRatio = after.volume / before.volume;
    progress.at(1);
    return change;
}

}  // namespace um
