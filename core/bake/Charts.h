#pragma once
/// Cutting a surface into pieces that lie flat: few, large, and cut where it shows least.
#include "bake/Flatten.h"
#include "base/Progress.h"

namespace um {

struct ChartSettings {
    double creaseDegrees = 50;  ///< sharper edges are where cuts go first
    double mostStretch = 1.12;  ///< L2 stretch of a chart; where it would be more, it is cut
    double mostShare = 0.2;     ///< of the surface that a chart may have: larger ones are hard to lay beside others
    double mostLength = 1.1;    ///< of a chart, as a share of the side of a square as large as the surface; likewise
    double leastSolid = 0.75;   ///< share of its hull that a large chart covers; likewise
    bool alongSeams = false;    ///< where the mesh's own UVs part, new ones do
    /// How much is seen of each triangle, from 0 to 1: cuts go where that is little. Empty for all alike.
    std::vector<float> exposure;
};

/// A piece of a mesh that is laid flat as a whole.
struct Chart {
    std::vector<TriangleId> triangles;  ///< of the mesh, in the order of the patch's
    std::vector<std::uint64_t> cuts;    ///< edges 3 t + k of its triangles that are cut within it; ascending
    Patch patch;
};

/// Every triangle is in one chart. Edges where more than two triangles meet, or two that face opposite ways, are cut.
/// @throws Cancelled
std::vector<Chart> cutIntoCharts(const Mesh& mesh, const ChartSettings& settings, const Progress& progress);

}  // namespace um
