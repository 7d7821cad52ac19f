#pragma once
/// Cutting a surface into pieces that lie flat: few, large, and cut where it shows least.
#include "bake/ChartSettings.h"
#include "bake/Flatten.h"
#include "base/Progress.h"

namespace um {

/// A piece of a mesh that is laid flat as a whole.
struct Chart {
    std::vector<TriangleId> triangles;  ///< of the mesh, in the order of the patch's
    std::vector<std::uint64_t> cuts;    ///< edges 3 t + k of its triangles that are cut within it; ascending
    FlatPatch patch;
};

/// Every triangle is in one chart. Edges where more than two triangles meet, or two that face opposite ways, are cut.
/// @throws Cancelled
std::vector<Chart> cutIntoCharts(const Mesh& mesh, const ChartSettings& settings, const Progress& progress);

}  // namespace um
