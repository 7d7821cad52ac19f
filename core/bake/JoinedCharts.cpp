#include "bake/JoinedCharts.h"

#include "bake/ChartPairs.h"
#include "base/Parallel.h"

#include <algorithm>
#include <cmath>
#include <iterator>
#include <map>
#include <numeric>
#include <set>
#include <unordered_map>
#include <unordered_set>

namespace um {
namespace {

// Whether most of the border between two charts is a crease.
bool meetAtCrease(const Neighbours& around, const std::vector<TriangleId>& a, const std::vector<TriangleId>& b) {
    double creased = 0, all = 0;
    for (const TriangleId t : a)
        for (std::size_t k = 0; k < 3; ++k)
            if (std::binary_search(b.begin(), b.end(), around.beyond[t][k])) {
                all += around.lengths[t][k];
                creased += around.isCrease[t][k] ? around.lengths[t][k] : 0;
            }
    return creased > all / 2;
}

double angleAt(const Mesh& mesh, TriangleId t, std::size_t k) {
    const Triangle& corners = mesh.triangles[t];
    const Vec3d here = mesh.positions[corners[k]].cast<double>();
    const Vec3d to = mesh.positions[corners[(k + 1) % 3]].cast<double>() - here;
    const Vec3d from = mesh.positions[corners[(k + 2) % 3]].cast<double>() - here;
    return std::atan2(to.cross(from).norm(), to.dot(from));
}

// The edges between two charts, without those of the longest run along which no strongly curved vertex comes to lie
// inside, and none where one of them is cut open; both half-edges of each.
std::vector<std::uint64_t> allButTheLongestRun(const ChartMaker& maker, const Chart& a, const Chart& b,
                                               const std::vector<TriangleId>& both,
                                               const std::vector<std::uint64_t>& cuts) {
    // Radians by which the angles around a vertex miss a full turn; a box's corner misses a quarter, and is none of
    // them.
    constexpr double mostDefect = 1.5;
    const Mesh& mesh = maker.mesh();
    const Neighbours& around = maker.around();
    struct Shared {
        std::uint64_t edge, back;
        std::array<VertexId, 2> ends;
        double shows;
    };
    std::vector<Shared> edges;
    std::unordered_map<VertexId, std::vector<std::uint32_t>> at;
    for (const TriangleId t : a.triangles)
        for (std::size_t k = 0; k < 3; ++k) {
            const TriangleId other = around.beyond[t][k];
            if (other == Neighbours::none || !std::binary_search(b.triangles.begin(), b.triangles.end(), other))
                continue;
            const std::array<VertexId, 2> ends = {mesh.triangles[t][k], mesh.triangles[t][(k + 1) % 3]};
            const Triangle& there = mesh.triangles[other];
            const auto back = std::size_t(std::find(there.begin(), there.end(), ends[1]) - there.begin());
            for (const VertexId v : ends) at[v].push_back(std::uint32_t(edges.size()));
            edges.push_back({edgeOf(t, k), edgeOf(other, back), ends, around.shows[t][k]});
        }
    std::unordered_map<VertexId, double> angles;
    for (const auto& [v, here] : at) angles[v] = 0;
    for (const TriangleId t : both)
        for (std::size_t k = 0; k < 3; ++k)
            if (const auto found = angles.find(mesh.triangles[t][k]); found != angles.end())
                found->second += angleAt(mesh, t, k);
    std::unordered_set<VertexId> atCuts;
    for (const std::uint64_t edge : cuts)
        for (const std::uint64_t k : {edge % 3, (edge + 1) % 3}) atCuts.insert(mesh.triangles[edge / 3][k]);
    std::vector<std::uint32_t> run(edges.size());
    std::iota(run.begin(), run.end(), 0u);
    const auto find = [&](std::uint32_t i) {
        while (run[i] != i) i = run[i] = run[run[i]];
        return i;
    };
    for (const auto& [v, here] : at)
        if (here.size() == 2 && std::abs(2 * pi - angles[v]) <= mostDefect && !atCuts.contains(v)) {
            const std::uint32_t first = find(here[0]), second = find(here[1]);
            run[std::max(first, second)] = std::min(first, second);
        }
    // Of nearly equal ones the one that shows most stays whole.
    std::vector<double> shows(edges.size(), 0);
    for (std::uint32_t i = 0; i < edges.size(); ++i) shows[find(i)] += edges[i].shows;
    const auto longest = std::uint32_t(std::max_element(shows.begin(), shows.end()) - shows.begin());
    std::vector<std::uint64_t> cut;
    for (std::uint32_t i = 0; i < edges.size(); ++i)
        if (find(i) != longest) cut.insert(cut.end(), {edges[i].edge, edges[i].back});
    return cut;
}

// Along all of the border between them, or where that does not lie flat along the longest smooth run of it, so that a
// tube opens along a line and a cone up to its tip.
std::optional<Chart> joined(const ChartMaker& maker, const Chart& a, const Chart& b) {
    constexpr double hardlyStretched = 1.01;
    const std::vector<TriangleId> both = trianglesOf(a, b);
    std::vector<std::uint64_t> cuts;
    std::merge(a.cuts.begin(), a.cuts.end(), b.cuts.begin(), b.cuts.end(), std::back_inserter(cuts));
    const double hullBefore = hullArea(a) + hullArea(b);
    auto whole = maker.handy(both, cuts, hullBefore);
    const double stretch = whole ? stretchOf(whole->patch).mean : 0;
    if (whole && stretch <= hardlyStretched) return whole;
    const std::vector<std::uint64_t> more = allButTheLongestRun(maker, a, b, both, cuts);
    if (more.empty()) return whole;
    // A corner is cut and not bent flat.
    if (meetAtCrease(maker.around(), a.triangles, b.triangles)) whole.reset();
    cuts.insert(cuts.end(), more.begin(), more.end());
    std::sort(cuts.begin(), cuts.end());
    auto opened = maker.handy(both, cuts, hullBefore);
    return opened && (!whole || stretchOf(opened->patch).mean < stretch) ? opened : whole;
}

// Those that share most of their border, as far as that is seen.
// @param refused  by numbers
std::vector<ChartPair> pairsToTry(const Neighbours& around, const std::vector<Chart>& charts,
                                  const std::set<ChartPair>& refused, const std::vector<std::uint32_t>& numbers) {
    constexpr double leastShared = 0.12;  // of the smaller border: less makes shapes that nothing fits beside
    const std::vector<std::uint32_t> chartOf = chartOfEach(charts, around.beyond.size());
    struct Shared {
        double length = 0, shows = 0;
    };
    std::map<ChartPair, Shared> shared;
    std::vector<double> border(charts.size(), 0);
    for (TriangleId t = 0; t < chartOf.size(); ++t)
        for (std::size_t k = 0; k < 3; ++k) {
            const TriangleId other = around.beyond[t][k];
            if (other != Neighbours::none && chartOf[other] == chartOf[t]) continue;
            border[chartOf[t]] += around.lengths[t][k];
            if (other == Neighbours::none || chartOf[t] > chartOf[other]) continue;
            Shared& both = shared[{chartOf[t], chartOf[other]}];
            both.length += around.lengths[t][k];
            both.shows += around.shows[t][k];
        }
    std::vector<std::pair<double, ChartPair>> worth;
    for (const auto& [pair, both] : shared) {
        const std::uint32_t a = numbers[pair[0]], b = numbers[pair[1]];
        const double smaller = std::min(border[pair[0]], border[pair[1]]);
        if (both.length >= leastShared * smaller && !refused.contains({std::min(a, b), std::max(a, b)}))
            worth.emplace_back(both.shows / smaller, pair);
    }
    return eachOnce(std::move(worth), charts.size());
}

}  // namespace

void joinCharts(const ChartMaker& maker, std::vector<Chart>& charts, const Progress& progress) {
    constexpr double nearlyAll = 0.8;  // of a chart: who was refused by that much of it is not tried with it again
    std::set<ChartPair> refused;       // by their numbers, which change when they are joined
    std::vector<std::uint32_t> numbers(charts.size());
    std::iota(numbers.begin(), numbers.end(), 0u);
    auto next = std::uint32_t(charts.size());
    const auto startCount = double(charts.size());
    for (;;) {
        progress.at(1 - double(charts.size()) / (startCount + 1));
        const std::vector<ChartPair> pairs = pairsToTry(maker.around(), charts, refused, numbers);
        if (pairs.empty()) break;
        std::vector<std::optional<Chart>> results(pairs.size());
        parallelFor(
            pairs.size(),
            [&](std::size_t i) {
                progress.check();
                results[i] = joined(maker, charts[pairs[i][0]], charts[pairs[i][1]]);
            },
            1);
        std::vector<std::uint8_t> isGone(charts.size(), 0);
        const auto leavesRoom = [&](const Chart& chart, const ChartPair& pair) {
            if (!maker.isLarge(chart)) return true;
            std::size_t crowded = 0;
            for (std::uint32_t c = 0; c < charts.size(); ++c)
                if (isGone[c] == 0 && c != pair[0] && c != pair[1] && maker.isLarge(charts[c]))
                    crowded += maker.fitTogether(chart, charts[c]) ? 0 : 1;
            return crowded < maker.sheets();
        };
        for (std::size_t i = 0; i < pairs.size(); ++i) {
            const auto [a, b] = pairs[i];
            if (!results[i] || !leavesRoom(*results[i], pairs[i])) {
                refused.insert({std::min(numbers[a], numbers[b]), std::max(numbers[a], numbers[b])});
                continue;
            }
            const auto isNearlyAll = [&](std::uint32_t c) {
                return double(charts[c].triangles.size()) > nearlyAll * double(results[i]->triangles.size());
            };
            numbers[a] = isNearlyAll(a) ? numbers[a] : isNearlyAll(b) ? numbers[b] : next++;
            charts[a] = std::move(*results[i]);
            isGone[b] = 1;
        }
        std::size_t kept = 0;
        for (std::size_t c = 0; c < charts.size(); ++c) {
            if (isGone[c] != 0) continue;
            if (kept != c) {
                charts[kept] = std::move(charts[c]);
                numbers[kept] = numbers[c];
            }
            ++kept;
        }
        charts.resize(kept);
        numbers.resize(kept);
    }
}

}  // namespace um
