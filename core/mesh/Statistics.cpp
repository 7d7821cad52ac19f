#include "mesh/Statistics.h"

#include "base/Parallel.h"
#include "base/Units.h"
#include "mesh/EdgeWalk.h"

#include <atomic>
#include <set>

namespace um {
namespace {

void countEdges(const Mesh& mesh, Statistics& statistics) {
    const VertexTriangles around = findVertexTriangles(mesh.triangles, mesh.vertexCount());
    const EdgeFaults faults = findEdgeFaults(mesh, around);
    statistics.borderEdges = faults.borders.size();
    statistics.borderLoops = borderLoops(faults.borders).size();
    statistics.nonManifoldEdges = faults.nonManifold.size();
    statistics.windingEdges = faults.winding.size();
    statistics.duplicateTriangles = faults.duplicates.size();
    for (VertexId v = 0; v < mesh.vertexCount(); ++v) statistics.isolatedVertices += around.of(v).empty() ? 1 : 0;
}

void sumAreas(const Mesh& mesh, Statistics& statistics) {
    constexpr std::size_t chunkSize = 1 << 16;
    std::vector<double> areas(chunkCount(mesh.triangleCount(), chunkSize), 0.0);
    std::vector<std::size_t> flat(areas.size(), 0);
    parallelChunks(mesh.triangleCount(), chunkSize, [&](std::size_t chunk, std::size_t begin, std::size_t end) {
        for (std::size_t t = begin; t < end; ++t) {
            const Triangle& triangle = mesh.triangles[t];
            const double doubled =
                areaNormal(mesh.positions[triangle[0]].cast<double>(), mesh.positions[triangle[1]].cast<double>(),
                           mesh.positions[triangle[2]].cast<double>())
                    .norm();
            areas[chunk] += doubled / 2;
            flat[chunk] += doubled <= 0 ? 1 : 0;
        }
    });
    for (std::size_t chunk = 0; chunk < areas.size(); ++chunk) {
        statistics.area += areas[chunk];
        statistics.zeroAreaTriangles += flat[chunk];
    }
}

}  // namespace

Statistics gatherWholeStatistics(const Mesh& mesh, const Progress& progress) {
    Statistics statistics;
    statistics.triangles = mesh.triangleCount();
    statistics.vertices = mesh.vertexCount();
    statistics.box = boundingBox(mesh);
    statistics.hasUvs = !mesh.uvs.empty();
    statistics.hasNormals = !mesh.normals.empty();
    statistics.hasColors = !mesh.colors.empty();
    std::set<std::uint32_t> used;
    for (const Section& section : mesh.sections)
        if (section.triangleCount > 0) used.insert(section.material);
    statistics.materials = used.size();
    sumAreas(mesh, statistics);
    progress.at(0.2);
    countEdges(mesh, statistics);
    progress.at(0.7);
    const Pieces pieces = findPieces(mesh.triangles, mesh.vertexCount());
    for (const std::uint32_t count : pieces.triangleCounts) statistics.pieces += count > 0 ? 1 : 0;
    progress.at(1);
    return statistics;
}

std::string faultsOf(const Statistics& s) {
    std::string text;
    const auto say = [&](std::size_t count, const char* what) {
        if (count > 0) text += (text.empty() ? "" : ", ") + countOf(count, what, std::string(what) + "s");
    };
    say(s.nonManifoldEdges, "non-manifold edge");
    if (s.windingEdges > 0)
        text += (text.empty() ? "" : ", ") + countOf(s.windingEdges, "edge", "edges") + " with inconsistent winding";
    say(s.zeroAreaTriangles, "zero-area triangle");
    say(s.duplicateTriangles, "duplicate triangle");
    if (s.isolatedVertices > 0)
        text += (text.empty() ? "" : ", ") + countOf(s.isolatedVertices, "isolated vertex", "isolated vertices");
    return text;
}

MeshStatistics gatherStatistics(const Mesh& mesh, const Progress& progress) {
    MeshStatistics result;
    result.whole = gatherWholeStatistics(mesh, progress.span(0, 0.5));
    result.parts.assign(mesh.parts.size(), result.whole);
    if (mesh.parts.size() == 1) return result;
    const std::vector<std::vector<Section>> sections = sectionsByPart(mesh);
    std::atomic<std::size_t> done = 0;
    const auto reached = [&](std::size_t parts) { return 0.5 + 0.5 * double(parts) / double(sections.size()); };
    parallelFor(
        sections.size(),
        [&](std::size_t part) {
            const Progress standing = progress.span(reached(done), reached(done));
            result.parts[part] = gatherWholeStatistics(extractSurface(mesh, sections[part]), standing);
            progress.at(reached(++done));
        },
        1);
    return result;
}

}  // namespace um
