#pragma once
/// Charts as few as can be.
#include "bake/ChartMaker.h"
#include "base/Progress.h"

namespace um {

/// Neighbouring charts become one where that lies flat, too: first those that share most of their border.
/// @throws Cancelled
void joinCharts(const ChartMaker& maker, std::vector<Chart>& charts, const Progress& progress);

}  // namespace um
