#include "draw/Contour.h"

#include "base/Parallel.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <cstring>
#include <span>

namespace um {
namespace {

// A side of a triangle, kept at the smaller of its vertices.
struct Side {
    VertexId other;
    TriangleId triangle;
    bool runsUp;  // from the smaller to the larger vertex
};

// Where an edge of the contour crosses a row of samples: by how much the winding number changes from that sample on.
struct Crossing {
    std::int32_t row;
    std::int32_t sample;
    std::int32_t change;
};

void addCrossings(std::vector<Crossing>& crossings, const Vec2f& from, const Vec2f& to, int change, int width,
                  int height) {
    // Always from the upper end to the lower; a row counts from its upper end on, so that neighbours share none.
    const bool down = from.y() < to.y();
    const Vec2f &top = down ? from : to, &bottom = down ? to : from;
    const double x0 = double(top.x()), y0 = double(top.y());
    const double slope = (double(bottom.x()) - x0) / (double(bottom.y()) - y0);
    const int first = int(std::ceil(std::clamp(y0 - 0.5, 0.0, double(height))));
    const int last = int(std::ceil(std::clamp(double(bottom.y()) - 0.5, 0.0, double(height)))) - 1;
    for (int row = first; row <= last; ++row) {
        const double x = x0 + (row + 0.5 - y0) * slope;
        crossings.push_back(
            {row, std::int32_t(std::ceil(std::clamp(x - 0.5, 0.0, double(width)))), down ? change : -change});
    }
}

using Change = std::pair<std::int32_t, std::int32_t>;  // from which sample on, and by how much

// Sets the samples of a row around which the winding number is not 0.
void fillSorted(SampleMask& mask, int row, std::span<Change> changes) {
    std::sort(changes.begin(), changes.end());
    int winding = 0;
    for (std::size_t i = 0; i < changes.size(); ++i) {
        winding += changes[i].second;
        const int until = i + 1 < changes.size() ? changes[i + 1].first : mask.width();
        if (winding != 0 && until > changes[i].first) mask.setRun(row, changes[i].first, until - 1);
    }
}

// The same for many changes: sample by sample, which needs no sorting. `at` has a 0 for each sample, and is left so.
void fillDensely(SampleMask& mask, int row, std::span<const Change> changes, std::vector<std::int32_t>& at) {
    std::int32_t first = mask.width(), last = 0;
    for (const auto& [sample, change] : changes) {
        at[std::size_t(sample)] += change;
        first = std::min(first, sample);
        last = std::max(last, sample);
    }
    const std::span<std::uint64_t> words = mask.row(row);
    int winding = 0;
    for (std::int32_t word = first / 64; word <= last / 64 && word < mask.wordsPerRow(); ++word) {
        // In three plain loops, of which the compiler makes wide ones.
        std::array<std::int32_t, 64> windings;
        std::int32_t* changesHere = at.data() + std::size_t(word) * 64;
        for (std::size_t bit = 0; bit < 64; ++bit) windings[bit] = winding += changesHere[bit];
        std::fill_n(changesHere, 64, 0);
        std::array<std::uint8_t, 64> isCovered;
        for (std::size_t bit = 0; bit < 64; ++bit) isCovered[bit] = windings[bit] != 0;
        std::uint64_t bits = 0;
        for (std::size_t byte = 0; byte < 8; ++byte) {
            std::uint64_t eight = 0;
            std::memcpy(&eight, isCovered.data() + 8 * byte, 8);
            // Gathers the lowest bits of eight bytes in the highest one.
            bits |= (eight * 0x0102040810204080ull >> 56) << (8 * byte);
        }
        words[std::size_t(word)] |= bits;
    }
    at[std::size_t(mask.width())] = 0;
}

void fill(SampleMask& mask, const std::vector<Crossing>& crossings) {
    std::vector<std::uint32_t> begins(std::size_t(mask.height()) + 1, 0);
    for (const Crossing& crossing : crossings) ++begins[std::size_t(crossing.row)];
    exclusivePrefixSum(begins);
    std::vector<Change> changes(crossings.size());
    std::vector<std::uint32_t> next = begins;
    for (const Crossing& crossing : crossings)
        changes[next[std::size_t(crossing.row)]++] = {crossing.sample, crossing.change};
    constexpr std::size_t fewChanges = 24;
    std::vector<std::int32_t> at(std::size_t(mask.wordsPerRow()) * 64 + 1, 0);
    for (int row = 0; row < mask.height(); ++row) {
        const std::uint32_t begin = begins[std::size_t(row)], end = begins[std::size_t(row) + 1];
        const std::span<Change> here(changes.data() + begin, end - begin);
        if (here.size() < fewChanges)
            fillSorted(mask, row, here);
        else
            fillDensely(mask, row, here, at);
    }
}

}  // namespace

ContourMesh::ContourMesh(const Mesh& mesh) : m_mesh(mesh) {
    std::vector<std::uint32_t> begins(mesh.vertexCount() + 1, 0);
    const auto forSides = [&](const auto& visit) {
        for (TriangleId t = 0; t < mesh.triangleCount(); ++t)
            for (std::size_t i = 0; i < 3; ++i) {
                const VertexId a = mesh.triangles[t][i], b = mesh.triangles[t][(i + 1) % 3];
                if (a != b) visit(std::min(a, b), Side{std::max(a, b), t, a < b});
            }
    };
    forSides([&](VertexId v, const Side&) { ++begins[v]; });
    exclusivePrefixSum(begins);
    std::vector<Side> sides(begins.back());
    std::vector<std::uint32_t> next = begins;
    forSides([&](VertexId v, const Side& side) { sides[next[v]++] = side; });
    constexpr std::size_t chunkSize = 1 << 14;
    std::vector<std::vector<Edge>> byChunk(chunkCount(mesh.vertexCount(), chunkSize));
    parallelChunks(mesh.vertexCount(), chunkSize, [&](std::size_t chunk, std::size_t first, std::size_t last) {
        std::vector<Edge>& edges = byChunk[chunk];
        edges.reserve((begins[last] - begins[first]) / 2 + 16);
        for (std::size_t v = first; v < last; ++v) {
            const auto begin = sides.begin() + begins[v], end = sides.begin() + begins[v + 1];
            std::sort(begin, end, [](const Side& a, const Side& b) {
                return std::tie(a.other, a.runsUp, a.triangle) < std::tie(b.other, b.runsUp, b.triangle);
            });
            // Of the sides between two vertices, each that runs up is paired with one that runs down, as far as they
            // go.
            for (auto down = begin; down != end;) {
                const auto isSame = [&](const Side& side) { return side.other == down->other; };
                auto up = down;
                while (up != end && isSame(*up) && !up->runsUp) ++up;
                const auto ups = up;
                auto rest = down;
                const VertexId other = down->other;
                while (up != end && isSame(*up)) {
                    const TriangleId against = rest != ups ? (rest++)->triangle : nobody;
                    edges.push_back({VertexId(v), other, (up++)->triangle, against});
                }
                while (rest != ups) edges.push_back({VertexId(v), other, nobody, (rest++)->triangle});
                down = up;
            }
        }
    });
    std::size_t count = 0;
    for (const auto& edges : byChunk) count += edges.size();
    m_edges.reserve(count);
    for (const auto& edges : byChunk) m_edges.insert(m_edges.end(), edges.begin(), edges.end());
}

void ContourMesh::cover(SampleMask& mask, const std::vector<Vec2f>& places) const {
    std::vector<std::int8_t> turns(m_mesh.triangleCount());
    parallelFor(turns.size(), [&](std::size_t t) {
        const Triangle& triangle = m_mesh.triangles[t];
        const Vec2f &a = places[triangle[0]], &b = places[triangle[1]], &c = places[triangle[2]];
        const double x = double(a.x()), y = double(a.y());
        const double area = (double(b.x()) - x) * (double(c.y()) - y) - (double(b.y()) - y) * (double(c.x()) - x);
        turns[t] = area > 0 ? 1 : area < 0 ? -1 : 0;
    });
    std::vector<Crossing> crossings;
    const auto turnOf = [&](TriangleId t) { return t == nobody ? 0 : int(turns[t]); };
    for (const Edge& edge : m_edges) {
        // Triangles that turn right run round their area the other way: turned about, they add to it as well.
        const int change = turnOf(edge.left) - turnOf(edge.right);
        const Vec2f &from = places[edge.from], &to = places[edge.to];
        if (change != 0 && from.y() != to.y()) addCrossings(crossings, from, to, change, mask.width(), mask.height());
    }
    fill(mask, crossings);
}

}  // namespace um
