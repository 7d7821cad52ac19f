#include "mesh/Statistics.h"

#include "base/Parallel.h"
#include "base/Units.h"
#include "mesh/Connectivity.h"

#include <set>

namespace um {
namespace {

struct EdgeCounts {
    std::size_t border = 0;
    std::size_t nonManifold = 0;
    std::size_t winding = 0;
    std::size_t duplicates = 0;
    std::vector<std::array<VertexId, 2>> borderEdges;
};

// One edge end at a vertex: the vertex at the other end, and whether the triangle runs towards it.
struct EdgeEnd {
    VertexId other;
    bool outgoing;
    bool operator<(const EdgeEnd& b) const { return other != b.other ? other < b.other : outgoing < b.outgoing; }
};

void countEdgesAt(VertexId v, const std::vector<Triangle>& triangles, const VertexTriangles& around,
                  std::vector<EdgeEnd>& ends, std::vector<std::array<VertexId, 2>>& others, EdgeCounts& counts) {
    ends.clear();
    others.clear();
    for (const TriangleId t : around.of(v)) {
        const Triangle& triangle = triangles[t];
        const std::size_t corner = triangle[0] == v ? 0 : triangle[1] == v ? 1 : 2;
        const VertexId next = triangle[(corner + 1) % 3];
        const VertexId last = triangle[(corner + 2) % 3];
        if (next == last || next == v || last == v) continue;
        if (next > v) ends.push_back({next, true});
        if (last > v) ends.push_back({last, false});
        // A triangle is compared with others at its smallest vertex only.
        if (next > v && last > v) others.push_back({std::min(next, last), std::max(next, last)});
    }
    std::sort(ends.begin(), ends.end());
    for (std::size_t begin = 0; begin < ends.size();) {
        std::size_t end = begin + 1;
        while (end < ends.size() && ends[end].other == ends[begin].other) ++end;
        if (end - begin == 1) {
            ++counts.border;
            counts.borderEdges.push_back({v, ends[begin].other});
        } else if (end - begin > 2) {
            ++counts.nonManifold;
        } else if (ends[begin].outgoing == ends[begin + 1].outgoing) {
            ++counts.winding;
        }
        begin = end;
    }
    std::sort(others.begin(), others.end());
    for (std::size_t i = 1; i < others.size(); ++i) counts.duplicates += others[i] == others[i - 1] ? 1 : 0;
}

// Connected runs of border edges.
std::size_t countLoops(const std::vector<std::array<VertexId, 2>>& edges) {
    std::vector<VertexId> ends;
    ends.reserve(edges.size() * 2);
    for (const auto& edge : edges) ends.insert(ends.end(), edge.begin(), edge.end());
    std::sort(ends.begin(), ends.end());
    ends.erase(std::unique(ends.begin(), ends.end()), ends.end());
    std::vector<std::size_t> parent(ends.size());
    for (std::size_t i = 0; i < parent.size(); ++i) parent[i] = i;
    const auto rootOf = [&](VertexId v) {
        auto at = std::size_t(std::lower_bound(ends.begin(), ends.end(), v) - ends.begin());
        while (parent[at] != at) at = parent[at] = parent[parent[at]];
        return at;
    };
    std::size_t loops = ends.size();
    for (const auto& edge : edges) {
        const std::size_t a = rootOf(edge[0]);
        const std::size_t b = rootOf(edge[1]);
        if (a == b) continue;
        parent[std::max(a, b)] = std::min(a, b);
        --loops;
    }
    return loops;
}

void countEdges(const Mesh& mesh, Statistics& statistics) {
    const VertexTriangles around = findVertexTriangles(mesh.triangles, mesh.vertexCount());
    constexpr std::size_t chunkSize = 1 << 14;
    std::vector<EdgeCounts> chunks(chunkCount(mesh.vertexCount(), chunkSize));
    std::vector<std::size_t> isolated(chunks.size(), 0);
    parallelChunks(mesh.vertexCount(), chunkSize, [&](std::size_t chunk, std::size_t begin, std::size_t end) {
        std::vector<EdgeEnd> ends;
        std::vector<std::array<VertexId, 2>> others;
        for (std::size_t v = begin; v < end; ++v) {
            countEdgesAt(VertexId(v), mesh.triangles, around, ends, others, chunks[chunk]);
            isolated[chunk] += around.of(VertexId(v)).empty() ? 1 : 0;
        }
    });
    std::vector<std::array<VertexId, 2>> borderEdges;
    for (std::size_t chunk = 0; chunk < chunks.size(); ++chunk) {
        statistics.borderEdges += chunks[chunk].border;
        statistics.nonManifoldEdges += chunks[chunk].nonManifold;
        statistics.windingEdges += chunks[chunk].winding;
        statistics.duplicateTriangles += chunks[chunk].duplicates;
        statistics.isolatedVertices += isolated[chunk];
        borderEdges.insert(borderEdges.end(), chunks[chunk].borderEdges.begin(), chunks[chunk].borderEdges.end());
    }
    statistics.borderLoops = countLoops(borderEdges);
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

Statistics gatherWhole(const Mesh& mesh, const Progress& progress) {
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

}  // namespace

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
    result.whole = gatherWhole(mesh, progress.span(0, 0.5));
    if (mesh.parts.size() == 1) {
        result.parts.push_back(result.whole);
        return result;
    }
    for (std::size_t part = 0; part < mesh.parts.size(); ++part) {
        std::vector<bool> wanted(mesh.parts.size(), false);
        wanted[part] = true;
        const double done = 0.5 + 0.5 * double(part) / double(mesh.parts.size());
        result.parts.push_back(gatherWhole(extractParts(mesh, wanted), progress.span(done, done)));
        progress.at(done);
    }
    return result;
}

}  // namespace um
