#pragma once
/// Charts that lie beside each other, two at a time.
#include "bake/Charts.h"

#include <array>
#include <utility>
#include <vector>

namespace um {

using ChartPair = std::array<std::uint32_t, 2>;  ///< by their places in the list, the lower first

/// The chart of each triangle.
std::vector<std::uint32_t> chartOfEach(const std::vector<Chart>& charts, std::size_t triangles);

/// Of pairs with what they are worth, the best ones in which each chart is but once.
std::vector<ChartPair> eachOnce(std::vector<std::pair<double, ChartPair>> worth, std::size_t charts);

/// The triangles of both, ascending.
std::vector<TriangleId> trianglesOf(const Chart& a, const Chart& b);

}  // namespace um
