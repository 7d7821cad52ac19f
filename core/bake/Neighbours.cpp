#include "bake/Neighbours.h"

#include "base/Parallel.h"

#include <oneapi/tbb/parallel_sort.h>
#include <algorithm>
#include <cmath>

namespace um {
namespace {

// Whether the mesh's own UVs jump between two triangles, at either end of edge k of the one.
bool partsInUvs(const Mesh& mesh, TriangleId t, std::size_t k, TriangleId u, std::size_t l) {
    if (mesh.uvs.empty()) return false;
    const auto uvAt = [&](TriangleId triangle, std::size_t corner) {
        return mesh.uvs[mesh.wedgesOf(triangle)[corner % 3]];
    };
    return uvAt(t, k) != uvAt(u, l + 1) || uvAt(t, k + 1) != uvAt(u, l);
}

}  // namespace

Neighbours findNeighbours(const Mesh& mesh, const ChartSettings& settings) {
    Neighbours result;
    const std::size_t count = mesh.triangleCount();
    result.beyond.assign(count, {Neighbours::none, Neighbours::none, Neighbours::none});
    result.lengths.resize(count);
    result.shows.resize(count);
    result.isCrease.assign(count, {false, false, false});
    result.areaNormals.resize(count);
    const auto place = [&](VertexId v) { return Vec3d(mesh.positions[v].cast<double>()); };
    std::vector<std::array<std::uint64_t, 2>> edges;  // of lower and higher vertex; the half-edge
    edges.reserve(3 * count);
    for (TriangleId t = 0; t < count; ++t) {
        const Triangle& corners = mesh.triangles[t];
        result.areaNormals[t] = areaNormal(place(corners[0]), place(corners[1]), place(corners[2])) / 2;
        for (std::size_t k = 0; k < 3; ++k) {
            const VertexId a = corners[k], b = corners[(k + 1) % 3];
            result.lengths[t][k] = result.shows[t][k] = (place(a) - place(b)).norm();
            edges.push_back({std::uint64_t(std::min(a, b)) << 32 | std::max(a, b), 3 * std::uint64_t(t) + k});
        }
    }
    tbb::parallel_sort(edges.begin(), edges.end());
    const double leastCosine = std::cos(settings.creaseDegrees * pi / 180);
    for (std::size_t i = 0; i < edges.size();) {
        std::size_t end = i + 1;
        while (end < edges.size() && edges[end][0] == edges[i][0]) ++end;
        if (end - i == 2) {
            const auto t = TriangleId(edges[i][1] / 3), u = TriangleId(edges[i + 1][1] / 3);
            const std::size_t k = edges[i][1] % 3, l = edges[i + 1][1] % 3;
            const bool agree = mesh.triangles[t][k] == mesh.triangles[u][(l + 1) % 3];
            const Vec3d &n = result.areaNormals[t], &m = result.areaNormals[u];
            const bool isSharp = n.dot(m) < leastCosine * n.norm() * m.norm();
            const bool isSeam = settings.alongSeams && partsInUvs(mesh, t, k, u, l);
            if (t != u && agree && !isSeam) {
                result.beyond[t][k] = u;
                result.beyond[u][l] = t;
                result.isCrease[t][k] = result.isCrease[u][l] = isSharp;
                if (!settings.exposure.empty()) {
                    constexpr double least = 0.25;  // what a cut that nobody sees still counts
                    const double seen = double(settings.exposure[t] + settings.exposure[u]) / 2;
                    result.shows[t][k] = result.shows[u][l] *= least + (1 - least) * seen;
                }
            }
        }
        i = end;
    }
    return result;
}

std::optional<std::uint32_t> placeAmong(const std::vector<TriangleId>& triangles, TriangleId t) {
    const auto place = std::lower_bound(triangles.begin(), triangles.end(), t);
    if (place == triangles.end() || *place != t) return std::nullopt;
    return std::uint32_t(place - triangles.begin());
}

Neighbours among(const Neighbours& around, const std::vector<TriangleId>& triangles) {
    Neighbours result;
    for (const TriangleId t : triangles) {
        std::array<TriangleId, 3>& beyond = result.beyond.emplace_back();
        for (std::size_t k = 0; k < 3; ++k)
            beyond[k] = placeAmong(triangles, around.beyond[t][k]).value_or(Neighbours::none);
        result.lengths.push_back(around.lengths[t]);
        result.shows.push_back(around.shows[t]);
        result.isCrease.push_back(around.isCrease[t]);
        result.areaNormals.push_back(around.areaNormals[t]);
    }
    return result;
}

std::vector<std::vector<TriangleId>> connectedGroups(const Neighbours& around,
                                                     const std::vector<std::uint32_t>& pieceOf) {
    std::vector<std::vector<TriangleId>> groups;
    std::vector<std::uint8_t> isSeen(pieceOf.size(), 0);
    for (TriangleId start = 0; start < pieceOf.size(); ++start) {
        if (isSeen[start] != 0) continue;
        std::vector<TriangleId>& group = groups.emplace_back(1, start);
        isSeen[start] = 1;
        for (std::size_t i = 0; i < group.size(); ++i)
            for (const TriangleId next : around.beyond[group[i]])
                if (next != Neighbours::none && isSeen[next] == 0 && pieceOf[next] == pieceOf[start]) {
                    isSeen[next] = 1;
                    group.push_back(next);
                }
        std::sort(group.begin(), group.end());
    }
    return groups;
}

}  // namespace um
