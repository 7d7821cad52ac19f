#pragma once
/// Charts with borders as short as they can be.
#include "bake/ChartMaker.h"
#include "base/Progress.h"

namespace um {

/// Charts that were joined of pieces keep the points and teeth of these along their borders. Two neighbours part anew
/// where that shows least, if both still lie flat.
/// @throws Cancelled
void straightenCharts(const ChartMaker& maker, std::vector<Chart>& charts, const Progress& progress);

}  // namespace um
