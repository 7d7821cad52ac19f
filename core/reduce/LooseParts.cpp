#include "reduce/LooseParts.h"

#include "base/Parallel.h"
#include "mesh/Connectivity.h"
#include "mesh/Weld.h"

#include <oneapi/tbb/parallel_sort.h>
#include <cmath>
#include <limits>
#include <numeric>

namespace um {

namespace {

std::vector<double> sizesOf(const Pieces& pieces, const Mesh& mesh) {
    std::vector<Box3f> boxes(pieces.count());
    for (std::size_t v = 0; v < mesh.vertexCount(); ++v) boxes[pieces.ofVertex[v]].extend(mesh.positions[v]);
    std::vector<double> sizes(boxes.size(), 0);
    for (std::size_t i = 0; i < boxes.size(); ++i)
        if (!boxes[i].isEmpty()) sizes[i] = (boxes[i].max() - boxes[i].min()).cast<double>().norm();
    return sizes;
}

std::uint64_t cellKey(std::int64_t x, std::int64_t y, std::int64_t z) {
    return mixBits(std::uint64_t(x) * 0x9e3779b97f4a7c15ULL ^ mixBits(std::uint64_t(y) + 0x632be59bd9b4e019ULL) ^
                   mixBits(std::uint64_t(z) * 0xd6e8feb86659fd93ULL + 1));
}

}  // namespace

std::vector<DroppedPieces> dropLoosePieces(Mesh& mesh, double size, std::size_t enough,
                                           const std::vector<std::uint8_t>& held) {
    const Pieces pieces = findPieces(mesh.triangles, mesh.vertexCount());
    const std::vector<double> sizes = sizesOf(pieces, mesh);
    std::vector<std::uint8_t> stays(pieces.count(), 0);
    if (!held.empty())
        for (std::size_t v = 0; v < held.size(); ++v)
            if (held[v] != 0) stays[pieces.ofVertex[v]] = 1;
    std::vector<std::size_t> order;
    for (std::size_t i = 0; i < pieces.count(); ++i)
        if (pieces.triangleCounts[i] > 0) order.push_back(i);
    std::sort(order.begin(), order.end(),
              [&](std::size_t a, std::size_t b) { return sizes[a] != sizes[b] ? sizes[a] < sizes[b] : a < b; });
    if (!order.empty()) order.pop_back();
    std::size_t left = mesh.triangleCount();
    std::vector<std::uint8_t> goes(pieces.count(), 0);
    for (const std::size_t i : order) {
        if (sizes[i] >= size || left <= enough) break;
        if (stays[i] != 0) continue;
        goes[i] = 1;
        left -= pieces.triangleCounts[i];
    }
    if (left == mesh.triangleCount()) return {};
    std::vector<DroppedPieces> byPart(mesh.parts.size());
    std::vector<std::uint8_t> kept(mesh.triangleCount()), counted(pieces.count(), 0);
    for (const Section& section : mesh.sections)
        for (std::size_t t = section.firstTriangle; t < section.firstTriangle + section.triangleCount; ++t) {
            const std::uint32_t piece = pieces.ofVertex[mesh.triangles[t][0]];
            kept[t] = goes[piece] == 0;
            if (kept[t] != 0) continue;
            DroppedPieces& dropped = byPart[section.part];
            dropped.part = mesh.parts[section.part].name;
            ++dropped.triangles;
            if (counted[piece]++ != 0) {
                counted[piece] = 1;
                continue;
            }
            ++dropped.pieces;
            dropped.largest = std::max(dropped.largest, sizes[piece]);
        }
    keepTriangles(mesh, kept);
    std::erase_if(byPart, [](const DroppedPieces& dropped) { return dropped.triangles == 0; });
    return byPart;
}

std::size_t joinNearPieces(Mesh& mesh, double distance, const std::vector<std::uint8_t>& held) {
    const Pieces pieces = findPieces(mesh.triangles, mesh.vertexCount());
    const auto isUsed = [&](std::size_t v) { return pieces.triangleCounts[pieces.ofVertex[v]] > 0; };
    // No narrower than can be numbered, whatever was typed.
    const Box3f box = boundingBox(mesh);
    const double reach = box.isEmpty() ? 0 : double(box.min().cwiseAbs().cwiseMax(box.max().cwiseAbs()).maxCoeff());
    const double width = std::max(distance, 1e-12 * reach);
    const auto cellOf = [&](const Vec3f& p, int axis) { return std::int64_t(std::floor(double(p[axis]) / width)); };
    // Vertices ordered by the hash of their cell; neighbours lie in the 27 cells around.
    std::vector<std::pair<std::uint64_t, VertexId>> cells;
    for (std::size_t v = 0; v < mesh.vertexCount(); ++v)
        if (isUsed(v)) {
            const Vec3f& p = mesh.positions[v];
            cells.push_back({cellKey(cellOf(p, 0), cellOf(p, 1), cellOf(p, 2)), VertexId(v)});
        }
    tbb::parallel_sort(cells.begin(), cells.end());
    constexpr VertexId nobody = std::numeric_limits<VertexId>::max();
    std::vector<VertexId> nearest(mesh.vertexCount(), nobody);
    parallelFor(
        cells.size(),
        [&](std::size_t i) {
            const VertexId v = cells[i].second;
            const Vec3f& p = mesh.positions[v];
            double best = distance * distance;
            for (int cell = 0; cell < 27; ++cell) {
                const std::uint64_t key =
                    cellKey(cellOf(p, 0) + cell % 3 - 1, cellOf(p, 1) + cell / 3 % 3 - 1, cellOf(p, 2) + cell / 9 - 1);
                for (auto at = std::lower_bound(cells.begin(), cells.end(), std::pair(key, VertexId(0)));
                     at != cells.end() && at->first == key; ++at) {
                    const VertexId w = at->second;
                    if (pieces.ofVertex[w] == pieces.ofVertex[v]) continue;
                    const double squared = double((mesh.positions[w] - p).squaredNorm());
                    if (squared > best || (squared == best && nearest[v] != nobody && w > nearest[v])) continue;
                    best = squared;
                    nearest[v] = w;
                }
            }
        },
        256);
    // Groups of vertices that are each other's nearest go to one place: where a held one lies, or to their middle.
    std::vector<VertexId> root(mesh.vertexCount());
    std::iota(root.begin(), root.end(), VertexId(0));
    std::vector<std::uint8_t> taken(mesh.vertexCount(), 0);
    std::size_t joined = 0;
    for (VertexId v = 0; v < root.size(); ++v) {
        const VertexId w = nearest[v];
        if (w == nobody || taken[v] != 0 || taken[w] != 0) continue;
        const bool isHeld = !held.empty() && held[v] != 0, otherIsHeld = !held.empty() && held[w] != 0;
        if (isHeld && otherIsHeld) continue;
        taken[v] = taken[w] = 1;
        const VertexId kept = otherIsHeld ? w : v, gone = otherIsHeld ? v : w;
        root[gone] = kept;
        if (!isHeld && !otherIsHeld) mesh.positions[kept] = (mesh.positions[v] + mesh.positions[w]) / 2;
        ++joined;
    }
    if (joined == 0) return 0;
    if (mesh.hasAttributes() && mesh.wedges.empty()) mesh.wedges = mesh.triangles;
    parallelFor(mesh.triangleCount(), [&](std::size_t t) {
        for (VertexId& v : mesh.triangles[t]) v = root[v];
    });
    keepTriangles(mesh, trianglesWithoutFolds(mesh));
    return joined;
}

}  // namespace um
