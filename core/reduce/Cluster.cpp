#include "reduce/Cluster.h"

#include "base/Parallel.h"
#include "mesh/Weld.h"

#include <cmath>

namespace um {
namespace {

double surfaceArea(const Mesh& mesh) {
    constexpr std::size_t chunkSize = 1 << 16;
    std::vector<double> areas(chunkCount(mesh.triangleCount(), chunkSize), 0.0);
    parallelChunks(mesh.triangleCount(), chunkSize, [&](std::size_t chunk, std::size_t begin, std::size_t end) {
        for (std::size_t t = begin; t < end; ++t) {
            const Triangle& triangle = mesh.triangles[t];
            areas[chunk] += double((mesh.positions[triangle[1]] - mesh.positions[triangle[0]])
                                       .cross(mesh.positions[triangle[2]] - mesh.positions[triangle[0]])
                                       .norm()) /
                            2;
        }
    });
    double area = 0;
    for (const double part : areas) area += part;
    return area;
}

}  // namespace

Mesh clusterVertices(const Mesh& source, std::size_t triangles, const Progress& progress) {
    Mesh result;
    result.parts = source.parts;
    result.materials = source.materials;
    result.metresPerUnit = source.metresPerUnit;
    result.unitStated = source.unitStated;
    // A surface of area A crosses about 1.5 A / c² cells of size c, and has twice as many triangles as vertices.
    const Box3f box = boundingBox(source);
    const double smallest = std::max(1e-30, double(box.sizes().maxCoeff()) / 8192);
    const auto cell = float(std::max(smallest, std::sqrt(3 * surfaceArea(source) / double(triangles))));
    progress.at(0.1);
    std::vector<Vec3f> cells(source.vertexCount());
    parallelFor(cells.size(), [&](std::size_t v) {
        const Vec3f scaled = (source.positions[v] - box.min()) / cell;
        cells[v] = Vec3f(std::floor(scaled.x()), std::floor(scaled.y()), std::floor(scaled.z()));
    });
    const Welded welded = weldPoints(cells, progress.span(0.1, 0.6));
    std::vector<Vec3d> sums(welded.positions.size(), Vec3d::Zero());
    std::vector<std::uint32_t> counts(welded.positions.size(), 0);
    for (std::size_t v = 0; v < cells.size(); ++v) {
        sums[welded.indexOf[v]] += source.positions[v].cast<double>();
        ++counts[welded.indexOf[v]];
    }
    progress.at(0.7);
    result.positions.resize(sums.size());
    for (std::size_t c = 0; c < sums.size(); ++c) result.positions[c] = (sums[c] / double(counts[c])).cast<float>();
    for (const Section& section : source.sections) {
        Section kept = section;
        kept.firstTriangle = TriangleId(result.triangles.size());
        for (std::uint32_t i = 0; i < section.triangleCount; ++i) {
            Triangle triangle = source.triangles[section.firstTriangle + i];
            for (VertexId& v : triangle) v = welded.indexOf[v];
            if (triangle[0] != triangle[1] && triangle[1] != triangle[2] && triangle[2] != triangle[0])
                result.triangles.push_back(triangle);
        }
        kept.triangleCount = std::uint32_t(result.triangles.size() - kept.firstTriangle);
        if (kept.triangleCount > 0) result.sections.push_back(kept);
        progress.at(0.7 + 0.3 * double(section.firstTriangle) / double(source.triangleCount()));
    }
    dropUnused(result);
    return result;
}

}  // namespace um
