#pragma once
/// The cells of a sheet that a chart takes up.
#include "bake/Flatten.h"

#include <array>
#include <vector>

namespace um {

/// Cells side by side in a row.
struct CellRun {
    int row, begin, end;

    bool operator==(const CellRun&) const = default;
};

/// A chart's cells with the padding around them, in a box with its lower left at 0.
struct Footprint {
    static constexpr int blockSide = 4;  ///< cells along a block

    int width = 0, height = 0;  ///< in cells
    std::vector<CellRun> runs;  ///< of cells; those far apart come first, for together they meet what is there soonest
    std::vector<CellRun> blocks;   ///< of blocks that it covers wholly, whatever cell of its first block it is put at
    Vec2d origin = Vec2d::Zero();  ///< of its lower left, in texels of the turned and scaled chart
};

/// A chart as it is turned to be packed.
struct Outline {
    /// An edge with more of the chart on its left than on its right: by how many triangles.
    struct Rim {
        std::uint32_t from, to;
        int layers;
    };
    std::vector<Vec2d> places;  ///< of the patch's vertices, in units
    std::vector<Rim> rims;
    Eigen::AlignedBox2d box;
};

Outline outlineOf(const FlatPatch& patch, double angle);

/// All cells that the chart comes nearer to than `reach`; as it lies, and turned on by one, two and three quarters.
/// @param scale  texels per unit
/// @param cell  the cells' sides in texels
/// @param reach  in texels
/// @param turns  by how many quarters it is to be turned, a bit for each; the other footprints are empty
std::array<Footprint, 4> footprintsOf(const Outline& outline, double scale, int cell, double reach,
                                      unsigned turns = 0b1111);

}  // namespace um
