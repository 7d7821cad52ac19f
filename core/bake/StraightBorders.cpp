#include "bake/StraightBorders.h"

#include <algorithm>
#include <array>
#include <map>
#include <numeric>
#include <vector>

#include <boost/graph/boykov_kolmogorov_max_flow.hpp>
#include <boost/graph/compressed_sparse_row_graph.hpp>

namespace um {
namespace {

using Pair = std::array<std::uint32_t, 2>;
using Capacity = std::int64_t;

double costOfCut(const Neighbours& around, TriangleId t, std::size_t k) {
    constexpr double creaseCounts = 0.05;
    return around.shows[t][k] * (around.isCrease[t][k] ? creaseCounts : 1);
}

// What flows between two vertices, both ways.
struct Link {
    Pair ends;
    Capacity capacity;
};

// The side of each vertex in the least cut between the vertices 0 and 1; of several such cuts the one nearest to 0.
std::vector<std::uint8_t> sidesOfLeastCut(const std::vector<Link>& links, std::size_t vertices) {
    using Graph = boost::compressed_sparse_row_graph<>;
    using Edge = boost::graph_traits<Graph>::edge_descriptor;
    std::vector<std::size_t> next(vertices + 1, 0);
    for (const Link& link : links)
        for (const std::uint32_t end : link.ends) ++next[end + 1];
    std::partial_sum(next.begin(), next.end(), next.begin());
    std::vector<std::pair<std::size_t, std::size_t>> edges(2 * links.size());
    std::vector<Capacity> capacities(edges.size()), residuals(edges.size());
    std::vector<Edge> reverses(edges.size());
    for (const Link& link : links) {
        const auto [a, b] = link.ends;
        const Edge there(a, next[a]++), back(b, next[b]++);
        edges[there.idx] = {a, b};
        edges[back.idx] = {b, a};
        capacities[there.idx] = capacities[back.idx] = link.capacity;
        reverses[there.idx] = back;
        reverses[back.idx] = there;
    }
    Graph graph(boost::edges_are_sorted, edges.begin(), edges.end(), vertices);
    std::vector<Edge> predecessors(vertices);
    std::vector<boost::default_color_type> colors(vertices);
    std::vector<std::size_t> distances(vertices);
    const auto ofEdge = [&](auto& values) {
        return boost::make_iterator_property_map(values.begin(), boost::get(boost::edge_index, graph));
    };
    const auto ofVertex = [&](auto& values) {
        return boost::make_iterator_property_map(values.begin(), boost::get(boost::vertex_index, graph));
    };
    boost::boykov_kolmogorov_max_flow(graph, ofEdge(capacities), ofEdge(residuals), ofEdge(reverses),
                                      ofVertex(predecessors), ofVertex(colors), ofVertex(distances),
                                      boost::get(boost::vertex_index, graph), 0, 1);
    std::vector<std::uint8_t> sides(vertices);
    for (std::size_t v = 0; v < vertices; ++v) sides[v] = colors[v] == boost::black_color ? 0 : 1;
    return sides;
}

// Makes one border between two pieces after the other as short as it gets near where it is.
class Straightener {
public:
    Straightener(const Neighbours& around, std::vector<std::uint32_t>& pieceOf, int rings)
        : m_around(around), m_pieceOf(pieceOf), m_rings(rings), m_places(pieceOf.size()) {}

    // @param border  the triangles along it
    void straighten(const Pair& pieces, const std::vector<TriangleId>& border) {
        const std::vector<TriangleId> band = bandOf(pieces, border);
        if (m_vertices > firstFree) partAnew(pieces, band);
        for (const TriangleId t : band) m_places[t] = {};
    }

private:
    static constexpr std::uint32_t firstFree = 2;  // of the vertices; before it those that stand for what stays
    static constexpr std::uint32_t none = ~std::uint32_t(0);

    // Of a triangle near the border.
    struct Place {
        int ring = -1;
        std::uint32_t vertex = none;
    };

    std::uint32_t sideOf(TriangleId t, const Pair& pieces) const { return m_pieceOf[t] == pieces[1]; }

    // The triangles of both pieces near the border between them, and their places.
    std::vector<TriangleId> bandOf(const Pair& pieces, const std::vector<TriangleId>& border) {
        std::vector<TriangleId> band;
        const auto reach = [&](TriangleId t, int ring) {
            if (m_places[t].ring >= 0) return;
            m_places[t].ring = ring;
            band.push_back(t);
        };
        for (const TriangleId t : border)
            if (m_pieceOf[t] == pieces[0] || m_pieceOf[t] == pieces[1]) reach(t, 0);
        std::array<TriangleId, 2> last{Neighbours::none, Neighbours::none};
        for (std::size_t i = 0; i < band.size(); ++i) {
            const TriangleId t = band[i];
            last[sideOf(t, pieces)] = t;
            if (const int ring = m_places[t].ring; ring < m_rings)
                for (const TriangleId other : m_around.beyond[t])
                    if (other != Neighbours::none && m_pieceOf[other] == m_pieceOf[t]) reach(other, ring + 1);
        }
        m_vertices = firstFree;
        for (const TriangleId t : band) {
            const std::uint32_t side = sideOf(t, pieces);
            m_places[t].vertex = m_places[t].ring == m_rings || t == last[side] ? side : m_vertices++;
        }
        return band;
    }

    void partAnew(const Pair& pieces, const std::vector<TriangleId>& band) {
        // Of equally short borders the one that is there stays, and flat pieces as they are: what goes over to the
        // other side costs that share of its edges.
        constexpr double staying = 0.05, finest = 1e9;
        double most = 0;
        for (const TriangleId t : band) most = std::max(most, *std::ranges::max_element(m_around.shows[t]));
        if (!(most > 0)) return;
        std::vector<Link> links;
        links.reserve(4 * band.size());
        for (const TriangleId t : band) {
            const std::uint32_t vertex = m_places[t].vertex;
            if (vertex >= firstFree) {
                const auto& shows = m_around.shows[t];
                const double cost = staying * (shows[0] + shows[1] + shows[2]);
                links.push_back({{vertex, sideOf(t, pieces)}, Capacity(cost / most * finest)});
            }
            for (std::size_t k = 0; k < 3; ++k) {
                const TriangleId other = m_around.beyond[t][k];
                if (other == Neighbours::none || other < t || m_places[other].vertex == none) continue;
                if (const std::uint32_t there = m_places[other].vertex; there != vertex)
                    links.push_back({{vertex, there}, Capacity(costOfCut(m_around, t, k) / most * finest)});
            }
        }
        const std::vector<std::uint8_t> sides = sidesOfLeastCut(links, m_vertices);
        for (const TriangleId t : band)
            if (const std::uint32_t vertex = m_places[t].vertex; vertex >= firstFree)
                m_pieceOf[t] = pieces[sides[vertex]];
    }

    const Neighbours& m_around;
    std::vector<std::uint32_t>& m_pieceOf;
    const int m_rings;
    std::vector<Place> m_places;  // of those that are not near the border, none
    std::uint32_t m_vertices = 0;
};

}  // namespace

double costOfBorders(const Neighbours& around, const std::vector<std::uint32_t>& pieceOf) {
    double sum = 0;
    for (TriangleId t = 0; t < pieceOf.size(); ++t)
        for (std::size_t k = 0; k < 3; ++k)
            if (const TriangleId other = around.beyond[t][k]; other != Neighbours::none && pieceOf[t] < pieceOf[other])
                sum += costOfCut(around, t, k);
    return sum;
}

void straightenBorders(const Neighbours& around, std::vector<std::uint32_t>& pieceOf, int rings) {
    constexpr int passes = 2;
    Straightener straightener(around, pieceOf, rings);
    for (int pass = 0; pass < passes; ++pass) {
        std::map<Pair, std::vector<TriangleId>> borders;
        for (TriangleId t = 0; t < pieceOf.size(); ++t)
            for (const TriangleId other : around.beyond[t])
                if (other != Neighbours::none && pieceOf[other] != pieceOf[t])
                    borders[{std::min(pieceOf[t], pieceOf[other]), std::max(pieceOf[t], pieceOf[other])}].push_back(t);
        for (const auto& [pieces, border] : borders) straightener.straighten(pieces, border);
    }
}

}  // namespace um
