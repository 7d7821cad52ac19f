#include "bake/StraightBorders.h"

#include <algorithm>
#include <map>
#include <unordered_map>

// The compiler cannot see that the iterators over a graph's edges are set before they are used.
#pragma GCC diagnostic ignored "-Wmaybe-uninitialized"
#include <boost/graph/adjacency_list.hpp>
#include <boost/graph/boykov_kolmogorov_max_flow.hpp>

namespace um {
namespace {

using Pair = std::array<std::uint32_t, 2>;
using Links = boost::adjacency_list_traits<boost::vecS, boost::vecS, boost::directedS>;
using Capacity = std::int64_t;
using Graph = boost::adjacency_list<
    boost::vecS, boost::vecS, boost::directedS,
    boost::property<boost::vertex_color_t, boost::default_color_type,
                    boost::property<boost::vertex_distance_t, int,
                                    boost::property<boost::vertex_predecessor_t, Links::edge_descriptor>>>,
    boost::property<boost::edge_capacity_t, Capacity,
                    boost::property<boost::edge_residual_capacity_t, Capacity,
                                    boost::property<boost::edge_reverse_t, Links::edge_descriptor>>>>;

double costOfCut(const Neighbours& around, TriangleId t, std::size_t k) {
    constexpr double creaseCounts = 0.05;
    return around.shows[t][k] * (around.isCrease[t][k] ? creaseCounts : 1);
}

constexpr std::size_t firstFree = 2;  // of the graph's vertices; before it those that stand for what stays in a piece

void connect(Graph& graph, std::size_t a, std::size_t b, Capacity capacity) {
    const auto there = boost::add_edge(a, b, graph).first, back = boost::add_edge(b, a, graph).first;
    for (const auto& edge : {there, back}) boost::put(boost::edge_capacity, graph, edge, capacity);
    boost::put(boost::edge_reverse, graph, there, back);
    boost::put(boost::edge_reverse, graph, back, there);
}

// The triangles of two pieces near the border between them.
struct Band {
    std::vector<TriangleId> triangles;
    std::unordered_map<TriangleId, std::size_t> vertexOf;  // in the graph: 0 and 1 for those that stay
    std::size_t vertices = firstFree;
};

Band bandOf(const Neighbours& around, const std::vector<std::uint32_t>& pieceOf, const Pair& pieces,
            const std::vector<TriangleId>& border, int rings) {
    Band band;
    std::unordered_map<TriangleId, int> ringOf;
    const auto reach = [&](TriangleId t, int ring) {
        if (ringOf.emplace(t, ring).second) band.triangles.push_back(t);
    };
    const auto sideOf = [&](TriangleId t) { return std::size_t(pieceOf[t] == pieces[1]); };
    for (const TriangleId t : border)
        if (pieceOf[t] == pieces[0] || pieceOf[t] == pieces[1]) reach(t, 0);
    std::array<TriangleId, 2> last{Neighbours::none, Neighbours::none};
    for (std::size_t i = 0; i < band.triangles.size(); ++i) {
        const TriangleId t = band.triangles[i];
        last[sideOf(t)] = t;
        if (const int ring = ringOf[t]; ring < rings)
            for (const TriangleId other : around.beyond[t])
                if (other != Neighbours::none && pieceOf[other] == pieceOf[t]) reach(other, ring + 1);
    }
    for (const TriangleId t : band.triangles)
        band.vertexOf[t] = ringOf[t] == rings || t == last[sideOf(t)] ? sideOf(t) : band.vertices++;
    return band;
}

void partAnew(const Neighbours& around, const Band& band, const Pair& pieces, std::vector<std::uint32_t>& pieceOf) {
    // Of equally short borders the one that is there stays, and flat pieces as they are: what goes over to the other
    // side costs that share of its edges.
    constexpr double staying = 0.05, finest = 1e9;
    double most = 0;
    for (const TriangleId t : band.triangles)
        most = std::max(most, *std::max_element(around.shows[t].begin(), around.shows[t].end()));
    if (!(most > 0)) return;
    Graph graph(band.vertices);
    for (const TriangleId t : band.triangles) {
        const std::size_t vertex = band.vertexOf.at(t);
        if (vertex >= firstFree) {
            const auto& shows = around.shows[t];
            const double cost = staying * (shows[0] + shows[1] + shows[2]);
            connect(graph, vertex, pieceOf[t] == pieces[0] ? 0 : 1, Capacity(cost / most * finest));
        }
        for (std::size_t k = 0; k < 3; ++k) {
            const TriangleId other = around.beyond[t][k];
            const auto found = band.vertexOf.find(other);
            if (other == Neighbours::none || other < t || found == band.vertexOf.end()) continue;
            if (vertex != found->second)
                connect(graph, vertex, found->second, Capacity(costOfCut(around, t, k) / most * finest));
        }
    }
    boost::boykov_kolmogorov_max_flow(graph, 0, 1);
    for (const TriangleId t : band.triangles)
        if (const std::size_t vertex = band.vertexOf.at(t); vertex >= firstFree)
            pieceOf[t] = pieces[boost::get(boost::vertex_color, graph, vertex) == boost::black_color ? 0 : 1];
}

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
    for (int pass = 0; pass < passes; ++pass) {
        std::map<Pair, std::vector<TriangleId>> borders;
        for (TriangleId t = 0; t < pieceOf.size(); ++t)
            for (const TriangleId other : around.beyond[t])
                if (other != Neighbours::none && pieceOf[other] != pieceOf[t])
                    borders[{std::min(pieceOf[t], pieceOf[other]), std::max(pieceOf[t], pieceOf[other])}].push_back(t);
        for (const auto& [pieces, border] : borders) {
            const Band band = bandOf(around, pieceOf, pieces, border, rings);
            if (band.vertices > firstFree) partAnew(around, band, pieces, pieceOf);
        }
    }
}

}  // namespace um
