#include "bake/ChartPairs.h"

#include <algorithm>
#include <iterator>
#include <tuple>

namespace um {

std::vector<std::uint32_t> chartOfEach(const std::vector<Chart>& charts, std::size_t triangles) {
    std::vector<std::uint32_t> chartOf(triangles);
    for (std::uint32_t c = 0; c < charts.size(); ++c)
        for (const TriangleId t : charts[c].triangles) chartOf[t] = c;
    return chartOf;
}

std::vector<ChartPair> eachOnce(std::vector<std::pair<double, ChartPair>> worth, std::size_t charts) {
    std::sort(worth.begin(), worth.end(),
              [](const auto& a, const auto& b) { return std::tie(b.first, a.second) < std::tie(a.first, b.second); });
    std::vector<ChartPair> pairs;
    std::vector<std::uint8_t> isTaken(charts, 0);
    for (const auto& [value, pair] : worth) {
        if (isTaken[pair[0]] != 0 || isTaken[pair[1]] != 0) continue;
        isTaken[pair[0]] = isTaken[pair[1]] = 1;
        pairs.push_back(pair);
    }
    return pairs;
}

std::vector<TriangleId> trianglesOf(const Chart& a, const Chart& b) {
    std::vector<TriangleId> both;
    std::merge(a.triangles.begin(), a.triangles.end(), b.triangles.begin(), b.triangles.end(),
               std::back_inserter(both));
    return both;
}

}  // namespace um
