#include "bake/StraightCharts.h"

#include "bake/ChartPairs.h"
#include "bake/StraightBorders.h"
#include "base/Parallel.h"

#include <algorithm>
#include <map>
#include <set>

namespace um {
namespace {

using Two = std::array<Chart, 2>;

// By the border between them, as far as that is seen.
std::vector<std::pair<double, ChartPair>> pairsToTry(const Neighbours& around, const std::vector<Chart>& charts,
                                                     const std::set<ChartPair>& tried) {
    const std::vector<std::uint32_t> chartOf = chartOfEach(charts, around.beyond.size());
    std::map<ChartPair, double> shared;
    for (TriangleId t = 0; t < chartOf.size(); ++t)
        for (std::size_t k = 0; k < 3; ++k)
            if (const TriangleId other = around.beyond[t][k]; other != Neighbours::none && chartOf[t] < chartOf[other])
                shared[{chartOf[t], chartOf[other]}] += around.shows[t][k];
    std::vector<std::pair<double, ChartPair>> worth;
    for (const auto& [pair, length] : shared)
        if (!tried.contains(pair)) worth.emplace_back(length, pair);
    return worth;
}

// With as wide a choice as leaves both flat: where much goes over to the other side, a cut that opened it may not reach
// its new border. Nothing if that changes little.
std::optional<Two> partedAnew(const ChartMaker& maker, const Chart& a, const Chart& b) {
    constexpr int widest = 4;        // rings of triangles
    constexpr double worthIt = 0.9;  // of the cost before
    const std::vector<TriangleId> both = trianglesOf(a, b);
    const Neighbours around = among(maker.around(), both);
    std::vector<std::uint32_t> before;
    for (const TriangleId t : both) before.push_back(std::binary_search(b.triangles.begin(), b.triangles.end(), t));
    for (int rings = widest; rings > 0; rings /= 2) {
        std::vector<std::uint32_t> half = before;
        straightenBorders(around, half, rings);
        if (costOfBorders(around, half) > worthIt * costOfBorders(around, before)) break;
        std::vector<std::vector<TriangleId>> parts = connectedGroups(around, half);
        if (parts.size() != 2) continue;
        for (std::vector<TriangleId>& part : parts)
            for (TriangleId& place : part) place = both[place];
        if (half[0] == 1) std::swap(parts[0], parts[1]);
        // Cut where they were: what comes over needs no cut.
        auto first = maker.handy(parts[0], maker.cutsWithin(a.cuts, parts[0]));
        if (!first) continue;
        if (auto second = maker.handy(parts[1], maker.cutsWithin(b.cuts, parts[1])))
            return Two{std::move(*first), std::move(*second)};
    }
    return std::nullopt;
}

}  // namespace

void straightenCharts(const ChartMaker& maker, std::vector<Chart>& charts, const Progress& progress) {
    std::set<ChartPair> tried;
    for (;;) {
        auto worth = pairsToTry(maker.around(), charts, tried);
        if (worth.empty()) break;
        progress.at(double(tried.size()) / double(tried.size() + worth.size()));
        const std::vector<ChartPair> pairs = eachOnce(std::move(worth), charts.size());
        std::vector<std::optional<Two>> results(pairs.size());
        parallelFor(
            pairs.size(),
            [&](std::size_t i) {
                progress.check();
                results[i] = partedAnew(maker, charts[pairs[i][0]], charts[pairs[i][1]]);
            },
            1);
        for (std::size_t i = 0; i < pairs.size(); ++i) {
            tried.insert(pairs[i]);
            if (!results[i]) continue;
            for (std::size_t k = 0; k < 2; ++k) charts[pairs[i][k]] = std::move((*results[i])[k]);
        }
    }
}

}  // namespace um
