#pragma once
/// Laying charts out on sheets, close to one another whatever their shapes.
#include "bake/Flatten.h"
#include "base/Progress.h"

namespace um {

struct PackSettings {
    int size = 2048;           ///< of a sheet's sides, in texels
    int padding = 8;           ///< texels between charts, and half of it along the rim
    int sheets = 1;            ///< at most
    double texelsPerUnit = 0;  ///< 0 for as many as fit
    /// By how much of its size a chart may be laid out larger or smaller than others, so that more of a sheet is used;
    /// not where `texelsPerUnit` is given.
    double leeway = 0;
};

/// Where a chart lies: turned first, then scaled, then moved.
struct PlacedChart {
    int sheet = 0;
    double turn = 0;  ///< radians
    double texelsPerUnit = 0;
    Vec2d shift = Vec2d::Zero();  ///< texels from the sheet's lower left

    Vec2d place(const Vec2d& flat) const { return Eigen::Rotation2Dd(turn) * flat * texelsPerUnit + shift; }
};

struct Packing {
    std::vector<PlacedChart> charts;
    int sheets = 0;
    double texelsPerUnit = 0;  ///< of charts whose weight is 1, on average
    double fill = 0;           ///< share of the sheets that charts cover
};

/// @param weights  by how much more texels each chart gets for a unit of length; 1 for all alike
/// @throws InputError  if they do not fit, with the density asked for or with a texel a chart
/// @throws Cancelled
Packing packCharts(const std::vector<const FlatPatch*>& charts, const std::vector<double>& weights,
                   const PackSettings& settings, const Progress& progress);

}  // namespace um
