#include "mesh/Cracks.h"

#include "base/Parallel.h"
#include "mesh/Connectivity.h"

#include <algorithm>
#include <cmath>
#include <limits>

namespace um {
namespace {

constexpr double usualShare = 1e-4;  // of the diagonal
constexpr double shareOfEdge = 1.0 / 3;

using CrackCell = std::array<std::int64_t, 3>;

CrackCell cellOf(const Vec3f& place, double width) {
    CrackCell cell{};
    for (int axis = 0; axis < 3; ++axis)
        cell[std::size_t(axis)] = std::int64_t(std::floor(double(place[axis]) / width));
    return cell;
}

// A vertex on a border, the cell that it lies in, and how far its partner may be.
struct RimVertex {
    CrackCell cell;
    VertexId vertex;
    double reach;
};

std::vector<RimVertex> rimOf(const Mesh& mesh, const std::vector<HalfEdge>& borders, double width) {
    std::vector<std::pair<VertexId, double>> ends;
    for (const HalfEdge& edge : borders) {
        const double reach = shareOfEdge * double((mesh.positions[edge.to] - mesh.positions[edge.from]).norm());
        ends.emplace_back(edge.from, reach);
        ends.emplace_back(edge.to, reach);
    }
    std::sort(ends.begin(), ends.end());
    std::vector<RimVertex> rim;
    // Of each vertex the shortest edge comes first.
    for (std::size_t i = 0; i < ends.size(); ++i)
        if (i == 0 || ends[i].first != ends[i - 1].first)
            rim.push_back(
                {cellOf(mesh.positions[ends[i].first], width), ends[i].first, std::min(width, ends[i].second)});
    std::sort(rim.begin(), rim.end(), [](const RimVertex& a, const RimVertex& b) {
        return std::tie(a.cell, a.vertex) < std::tie(b.cell, b.vertex);
    });
    return rim;
}

}  // namespace

double usualCrackWidth(const Mesh& mesh) {
    return usualShare * diagonal(mesh);
}

std::vector<CrackPair> findCracks(const Mesh& mesh, const std::vector<HalfEdge>& borders, double width) {
    std::vector<CrackPair> pairs;
    if (!(width > 0) || borders.empty()) return pairs;
    const std::vector<RimVertex> rim = rimOf(mesh, borders, width);
    const VertexTriangles around = findVertexTriangles(mesh.triangles, mesh.vertexCount());
    const auto isJoined = [&](VertexId a, VertexId b) {
        const auto list = around.of(a);
        return std::any_of(list.begin(), list.end(), [&](TriangleId t) {
            const Triangle& triangle = mesh.triangles[t];
            return std::find(triangle.begin(), triangle.end(), b) != triangle.end();
        });
    };
    constexpr std::size_t none = std::numeric_limits<std::size_t>::max();
    std::vector<std::size_t> closest(rim.size(), none);
    std::vector<double> widths(rim.size(), 0);
    parallelFor(rim.size(), [&](std::size_t i) {
        double best = std::numeric_limits<double>::infinity();
        for (std::int64_t dx = -1; dx <= 1; ++dx)
            for (std::int64_t dy = -1; dy <= 1; ++dy)
                for (std::int64_t dz = -1; dz <= 1; ++dz) {
                    const CrackCell cell = {rim[i].cell[0] + dx, rim[i].cell[1] + dy, rim[i].cell[2] + dz};
                    auto other =
                        std::lower_bound(rim.begin(), rim.end(), cell,
                                         [](const RimVertex& one, const CrackCell& c) { return one.cell < c; });
                    for (; other != rim.end() && other->cell == cell; ++other) {
                        if (other->vertex == rim[i].vertex) continue;
                        const double distance =
                            double((mesh.positions[other->vertex] - mesh.positions[rim[i].vertex]).norm());
                        if (distance > std::min(rim[i].reach, other->reach) || !(distance < best)) continue;
                        if (isJoined(rim[i].vertex, other->vertex)) continue;
                        best = distance;
                        closest[i] = std::size_t(other - rim.begin());
                    }
                }
        widths[i] = best;
    });
    for (std::size_t i = 0; i < rim.size(); ++i) {
        const std::size_t j = closest[i];
        if (j == none) continue;
        const auto [first, second] = std::minmax(rim[i].vertex, rim[j].vertex);
        // Where several lie at one place, each goes to the first of them.
        if (closest[j] == i ? rim[i].vertex == first : widths[j] == widths[i])
            pairs.push_back({first, second, widths[i]});
    }
    // A crack runs along an edge: single vertices come close to others by chance.
    std::vector<VertexId> paired;
    for (const CrackPair& pair : pairs) paired.insert(paired.end(), {pair.kept, pair.joined});
    std::sort(paired.begin(), paired.end());
    const auto isPaired = [&](VertexId v) { return std::binary_search(paired.begin(), paired.end(), v); };
    std::vector<VertexId> alongEdges;
    for (const HalfEdge& edge : borders)
        if (isPaired(edge.from) && isPaired(edge.to)) alongEdges.insert(alongEdges.end(), {edge.from, edge.to});
    std::sort(alongEdges.begin(), alongEdges.end());
    std::erase_if(pairs, [&](const CrackPair& pair) {
        return !std::binary_search(alongEdges.begin(), alongEdges.end(), pair.kept) ||
               !std::binary_search(alongEdges.begin(), alongEdges.end(), pair.joined);
    });
    std::sort(pairs.begin(), pairs.end(), [](const CrackPair& a, const CrackPair& b) {
        return std::tie(a.kept, a.joined) < std::tie(b.kept, b.joined);
    });
    return pairs;
}

std::size_t weldCracks(Mesh& mesh, double width) {
    const VertexTriangles around = findVertexTriangles(mesh.triangles, mesh.vertexCount());
    const std::vector<CrackPair> pairs = findCracks(mesh, findEdgeFaults(mesh, around).borders, width);
    if (pairs.empty()) return 0;
    std::vector<VertexId> standsFor(mesh.vertexCount());
    for (std::size_t v = 0; v < standsFor.size(); ++v) standsFor[v] = VertexId(v);
    const auto rootOf = [&](VertexId v) {
        while (standsFor[v] != v) v = standsFor[v];
        return v;
    };
    std::size_t joined = 0;
    for (const CrackPair& pair : pairs) {
        const VertexId a = rootOf(pair.kept), b = rootOf(pair.joined);
        if (a == b) continue;
        standsFor[std::max(a, b)] = std::min(a, b);
        ++joined;
    }
    if (mesh.wedges.empty() && mesh.hasAttributes()) mesh.wedges = mesh.triangles;
    std::vector<std::uint8_t> kept(mesh.triangleCount());
    for (std::size_t t = 0; t < kept.size(); ++t) {
        Triangle& triangle = mesh.triangles[t];
        const Triangle before = triangle;
        for (VertexId& v : triangle) v = rootOf(v);
        const bool isNothing = triangle[0] == triangle[1] || triangle[1] == triangle[2] || triangle[2] == triangle[0];
        // What had no area before is another fault's matter.
        kept[t] = !isNothing || before == triangle;
    }
    keepTriangles(mesh, kept);
    dropUnused(mesh);
    return joined;
}

}  // namespace um
