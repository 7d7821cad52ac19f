#pragma once
/// How a surface is to be cut into charts.
#include <vector>

namespace um {

struct ChartSettings {
    double creaseDegrees = 50;  ///< sharper edges are where cuts go first
    double mostStretch = 1.08;  ///< L2 stretch of a chart; where it would be more, it is cut
    double sheets = 1;          ///< that the charts are for, each with its share of the surface
    double mostShare = 0.2;     ///< of a sheet's that a chart may have: larger ones are hard to lay beside others
    double mostLength = 0.6;    ///< of a long one, as a share of the side of a square as large as that; likewise
    double mostReach = 0;     ///< of any chart from end to end, in units of length: a sheet's side; 0 for no such limit
    double leastSolid = 0.8;  ///< share of its hull that a large chart covers; likewise
    double padding = 0;       ///< between charts, as a share of a sheet's side
    bool alongSeams = false;  ///< where the mesh's own UVs part, new ones do
    /// How much is seen of each triangle, from 0 to 1: cuts go where that is little. Empty for all alike.
    std::vector<float> exposure;
};

}  // namespace um
