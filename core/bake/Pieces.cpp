#include "bake/Pieces.h"

#include "bake/StraightBorders.h"
#include "base/Parallel.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <numeric>
#include <queue>
#include <utility>

namespace um {
namespace {

// What of a piece counts when two are joined.
struct Piece {
    Vec3d normal = Vec3d::Zero();  // the sum of its triangles' area normals
    double area = 0, border = 0;
    std::map<std::uint32_t, double> shared;  // with each neighbour, the length of the border between them
};

// How far a piece is from flat, as an area; ragged ones count as less flat.
double unevenness(const Vec3d& normal, double area, double border) {
    constexpr double raggedness = 0.006;
    return area - normal.norm() + raggedness * border * border;
}

// Joins triangles to nearly flat pieces, those first that stay flattest and roundest.
std::vector<std::uint32_t> joinFlat(const Neighbours& around, const Progress& progress) {
    constexpr double mostBend = 0.15;  // share of the area that is lost when seen from the front: a cap of 45 degrees
    const std::size_t count = around.beyond.size();
    std::vector<Piece> pieces(count);
    std::vector<std::uint32_t> parent(count);
    std::iota(parent.begin(), parent.end(), 0u);
    for (std::uint32_t t = 0; t < count; ++t) {
        pieces[t].normal = around.areaNormals[t];
        pieces[t].area = around.areaNormals[t].norm();
        for (std::size_t k = 0; k < 3; ++k) {
            pieces[t].border += around.lengths[t][k];
            if (const TriangleId other = around.beyond[t][k]; other != Neighbours::none && !around.isCrease[t][k])
                pieces[t].shared[other] += around.lengths[t][k];
        }
    }
    struct Candidate {
        double cost;
        std::uint32_t a, b, versionA, versionB;
        bool operator>(const Candidate& o) const { return std::tie(cost, a, b) > std::tie(o.cost, o.a, o.b); }
    };
    std::vector<std::uint32_t> version(count, 0);
    std::priority_queue<Candidate, std::vector<Candidate>, std::greater<>> queue;
    const auto offer = [&](std::uint32_t a, std::uint32_t b, double shared) {
        if (a > b) std::swap(a, b);
        const Piece &p = pieces[a], &q = pieces[b];
        const Vec3d normal = p.normal + q.normal;
        const double area = p.area + q.area, border = std::max(0.0, p.border + q.border - 2 * shared);
        if (area - normal.norm() > mostBend * area) return;
        queue.push({unevenness(normal, area, border) - unevenness(p.normal, p.area, p.border) -
                        unevenness(q.normal, q.area, q.border),
                    a, b, version[a], version[b]});
    };
    for (std::uint32_t t = 0; t < count; ++t)
        for (const auto& [other, shared] : pieces[t].shared)
            if (t < other) offer(t, other, shared);
    std::size_t steps = 0;
    while (!queue.empty()) {
        if (++steps % 4096 == 0) progress.check();
        const Candidate best = queue.top();
        queue.pop();
        if (best.versionA != version[best.a] || best.versionB != version[best.b]) continue;
        Piece &into = pieces[best.a], &from = pieces[best.b];
        const double shared = into.shared[best.b];
        into.normal += from.normal;
        into.area += from.area;
        into.border = std::max(0.0, into.border + from.border - 2 * shared);
        into.shared.erase(best.b);
        for (const auto& [other, length] : from.shared) {
            if (other == best.a) continue;
            into.shared[other] += length;
            pieces[other].shared.erase(best.b);
            pieces[other].shared[best.a] += length;
        }
        from.shared.clear();
        parent[best.b] = best.a;
        ++version[best.a];
        ++version[best.b];  // which is no longer there
        for (const auto& [other, length] : into.shared) offer(best.a, other, length);
    }
    for (std::uint32_t t = 0; t < count; ++t) {
        std::uint32_t root = t;
        while (parent[root] != root) root = parent[root];
        for (std::uint32_t i = t; parent[i] != root;) i = std::exchange(parent[i], root);
    }
    return parent;
}

// Shares of a triangle that pieces have; there are rarely more than three that come near.
class Shares {
public:
    explicit Shares(std::uint32_t piece = 0) : m_shares{{{piece, 1}}}, m_count(1) {}

    void operator*=(float factor) {
        for (std::size_t i = 0; i < m_count; ++i) m_shares[i].second *= factor;
    }

    // Of more than there is room for, the least is lost.
    void add(const Shares& other, float factor) {
        for (std::size_t i = 0; i < other.m_count; ++i) {
            const std::pair<std::uint32_t, float> own(other.m_shares[i].first, factor * other.m_shares[i].second);
            const auto end = m_shares.begin() + std::ptrdiff_t(m_count);
            const auto same =
                std::find_if(m_shares.begin(), end, [&](const auto& share) { return share.first == own.first; });
            if (same != end) {
                same->second += own.second;
            } else if (m_count < m_shares.size()) {
                m_shares[m_count++] = own;
            } else {
                auto& least =
                    *std::min_element(m_shares.begin(), end, [](auto& a, auto& b) { return a.second < b.second; });
                if (least.second < own.second) least = own;
            }
        }
    }

    // Who has most of it when the holder's share counts that much more; of equals, the one that was there first.
    std::uint32_t winner(std::uint32_t holder, float counts) const {
        std::pair<std::uint32_t, float> best(holder, 0.0F);
        for (std::size_t i = 0; i < m_count; ++i) {
            const float share = m_shares[i].second * (m_shares[i].first == holder ? counts : 1);
            if (share > best.second) best = {m_shares[i].first, share};
        }
        return best.first;
    }

private:
    std::array<std::pair<std::uint32_t, float>, 5> m_shares;
    std::size_t m_count;
};

// Pieces run into one another for some steps, then each triangle goes to the one that has most of it. Creases hold them
// back. Only what is near a border takes part.
void smoothBorders(const Neighbours& around, std::vector<std::uint32_t>& pieceOf) {
    constexpr int steps = 16;  // how many triangles wide what evens out is: about their square root
    constexpr float overEdges = 0.75F, overCreases = 0.015F;  // of a triangle's shares that leave it at each step
    constexpr float atRim = 1.25F;  // a holder's share counts more there, or straight borders would fray at their ends
    std::vector<TriangleId> band;
    std::vector<std::uint8_t> isInBand(pieceOf.size(), 0);
    const auto takeIn = [&](TriangleId t) {
        if (isInBand[t] == 0) band.push_back(t);
        isInBand[t] = 1;
    };
    for (TriangleId t = 0; t < pieceOf.size(); ++t)
        for (const TriangleId other : around.beyond[t])
            if (other != Neighbours::none && pieceOf[other] != pieceOf[t]) takeIn(t);
    for (std::size_t step = 0, begin = 0; step < steps; ++step)
        for (const std::size_t end = band.size(); begin < end; ++begin)
            for (const TriangleId other : around.beyond[band[begin]])
                if (other != Neighbours::none) takeIn(other);

    // From each neighbour as much as goes there.
    std::vector<std::array<float, 3>> flows(band.size());
    for (std::size_t i = 0; i < band.size(); ++i) {
        const auto& lengths = around.lengths[band[i]];
        const double perimeter = std::max(1e-300, lengths[0] + lengths[1] + lengths[2]);
        for (std::size_t k = 0; k < 3; ++k)
            if (around.beyond[band[i]][k] != Neighbours::none)
                flows[i][k] = float(lengths[k] / perimeter) * (around.isCrease[band[i]][k] ? overCreases : overEdges);
    }
    std::vector<Shares> shares(pieceOf.begin(), pieceOf.end());
    std::vector<Shares> next(band.size());
    for (int step = 0; step < steps; ++step) {
        parallelFor(
            band.size(),
            [&](std::size_t i) {
                const auto& flow = flows[i];
                Shares& own = next[i];
                own = shares[band[i]];
                own *= 1 - flow[0] - flow[1] - flow[2];
                for (std::size_t k = 0; k < 3; ++k)
                    if (flow[k] > 0) own.add(shares[around.beyond[band[i]][k]], flow[k]);
            },
            256);
        for (std::size_t i = 0; i < band.size(); ++i) shares[band[i]] = next[i];
    }
    for (const TriangleId t : band) {
        bool isAtRim = false;
        for (std::size_t k = 0; k < 3; ++k) isAtRim = isAtRim || around.beyond[t][k] == Neighbours::none;
        pieceOf[t] = shares[t].winner(pieceOf[t], isAtRim ? atRim : 1);
    }
}

// A triangle most of whose neighbours are in another piece goes there: no single teeth stay.
void dropTeeth(const Neighbours& around, std::vector<std::uint32_t>& pieceOf) {
    for (int pass = 0; pass < 4; ++pass)
        for (TriangleId t = 0; t < pieceOf.size(); ++t)
            for (std::size_t k = 0; k < 3; ++k) {
                const TriangleId a = around.beyond[t][k], b = around.beyond[t][(k + 1) % 3];
                if (a != Neighbours::none && b != Neighbours::none && pieceOf[a] == pieceOf[b] &&
                    pieceOf[a] != pieceOf[t])
                    pieceOf[t] = pieceOf[a];
            }
}

}  // namespace

std::vector<std::uint32_t> nearlyFlatPieces(const Neighbours& around, const Progress& progress) {
    constexpr int rounds = 4, rings = 4;
    std::vector<std::uint32_t> pieceOf = joinFlat(around, progress);
    for (int round = 0; round < rounds; ++round) {
        progress.check();
        smoothBorders(around, pieceOf);
    }
    dropTeeth(around, pieceOf);
    straightenBorders(around, pieceOf, rings);
    return pieceOf;
}

}  // namespace um
