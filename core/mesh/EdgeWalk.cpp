#include "mesh/EdgeWalk.h"

#include "base/Parallel.h"

namespace um {

namespace {

struct EdgeEnd {
    VertexId other;
    bool isOutgoing;
    TriangleId triangle;
    bool operator<(const EdgeEnd& b) const { return std::tie(other, triangle) < std::tie(b.other, b.triangle); }
};

struct Opposite {
    VertexId low, high;
    TriangleId triangle;
    bool operator<(const Opposite& b) const {
        return std::tie(low, high, triangle) < std::tie(b.low, b.high, b.triangle);
    }
};

// Each edge is judged at its lower vertex, each triangle at its lowest.
void judgeEdgesAt(VertexId v, const Mesh& mesh, const VertexTriangles& around, std::vector<EdgeEnd>& ends,
                  std::vector<Opposite>& opposites, EdgeFaults& found) {
    ends.clear();
    opposites.clear();
    for (const TriangleId t : around.of(v)) {
        const Triangle& triangle = mesh.triangles[t];
        const std::size_t corner = triangle[0] == v ? 0 : triangle[1] == v ? 1 : 2;
        const VertexId next = triangle[(corner + 1) % 3], last = triangle[(corner + 2) % 3];
        if (next == last || next == v || last == v) continue;
        if (next > v) ends.push_back({next, true, t});
        if (last > v) ends.push_back({last, false, t});
        if (next > v && last > v) opposites.push_back({std::min(next, last), std::max(next, last), t});
    }
    std::sort(ends.begin(), ends.end());
    for (std::size_t begin = 0; begin < ends.size();) {
        std::size_t end = begin + 1;
        while (end < ends.size() && ends[end].other == ends[begin].other) ++end;
        const EdgeEnd& first = ends[begin];
        const HalfEdge edge =
            first.isOutgoing ? HalfEdge{v, first.other, first.triangle} : HalfEdge{first.other, v, first.triangle};
        if (end - begin == 1)
            found.borders.push_back(edge);
        else if (end - begin > 2)
            found.nonManifold.push_back(edge);
        else if (first.isOutgoing == ends[begin + 1].isOutgoing)
            found.winding.push_back(edge);
        begin = end;
    }
    std::sort(opposites.begin(), opposites.end());
    for (std::size_t i = 1; i < opposites.size(); ++i)
        if (opposites[i].low == opposites[i - 1].low && opposites[i].high == opposites[i - 1].high)
            found.duplicates.push_back(opposites[i].triangle);
}

}  // namespace

EdgeFaults findEdgeFaults(const Mesh& mesh, const VertexTriangles& around) {
    constexpr std::size_t chunkSize = 1 << 14;
    std::vector<EdgeFaults> chunks(chunkCount(mesh.vertexCount(), chunkSize));
    parallelChunks(mesh.vertexCount(), chunkSize, [&](std::size_t chunk, std::size_t begin, std::size_t end) {
        std::vector<EdgeEnd> ends;
        std::vector<Opposite> opposites;
        for (std::size_t v = begin; v < end; ++v)
            judgeEdgesAt(VertexId(v), mesh, around, ends, opposites, chunks[chunk]);
    });
    EdgeFaults all;
    const auto append = [](auto& to, const auto& from) { to.insert(to.end(), from.begin(), from.end()); };
    for (const EdgeFaults& chunk : chunks) {
        append(all.borders, chunk.borders);
        append(all.nonManifold, chunk.nonManifold);
        append(all.winding, chunk.winding);
        append(all.duplicates, chunk.duplicates);
    }
    return all;
}

std::vector<std::vector<VertexId>> borderLoops(const std::vector<HalfEdge>& borders) {
    // By where they start; several may start at one vertex, where loops touch.
    std::vector<HalfEdge> edges = borders;
    std::sort(edges.begin(), edges.end(), [](const HalfEdge& a, const HalfEdge& b) {
        return std::tie(a.from, a.to, a.triangle) < std::tie(b.from, b.to, b.triangle);
    });
    std::vector<std::uint8_t> isTaken(edges.size(), 0);
    const auto nextFrom = [&](VertexId v) {
        auto at = std::lower_bound(edges.begin(), edges.end(), v,
                                   [](const HalfEdge& edge, VertexId from) { return edge.from < from; });
        for (; at != edges.end() && at->from == v; ++at)
            if (isTaken[std::size_t(at - edges.begin())] == 0) return std::size_t(at - edges.begin());
        return edges.size();
    };
    std::vector<std::vector<VertexId>> loops;
    for (std::size_t start = 0; start < edges.size(); ++start) {
        if (isTaken[start] != 0) continue;
        std::vector<VertexId>& loop = loops.emplace_back();
        std::size_t at = start;
        while (at < edges.size()) {
            isTaken[at] = 1;
            loop.push_back(edges[at].from);
            const VertexId end = edges[at].to;
            if (end == edges[start].from) break;
            at = nextFrom(end);
            if (at == edges.size()) loop.push_back(end);
        }
    }
    return loops;
}

}  // namespace um
