#pragma once
/// New UVs for a level: cut into charts, laid flat and packed on a sheet.
#include "bake/Charts.h"
#include "bake/Pack.h"

namespace um {

struct UnwrapSettings {
    ChartSettings charts;
    PackSettings pack = {.leeway = 0.1};
    /// Texels for a unit of length on each triangle of the mesh, as a factor on what it would have by area alone; empty
    /// for an even density, within the leeway of packing.
    std::vector<float> weights;
};

struct Unwrapped {
    Mesh mesh;                           ///< the same triangles in the same order, with UVs from 0 to 1
    std::vector<std::uint32_t> chartOf;  ///< of each triangle
    std::vector<int> sheetOf;            ///< of each chart
    std::size_t charts = 0;
    int sheets = 0;
    Stretch stretch;
    double fill = 0;           ///< share of the sheets that charts cover
    double texelsPerUnit = 0;  ///< along a side, where the weight is 1, on average
};

/// @throws MeshError   if the mesh is not sound
/// @throws InputError  if the charts do not fit
/// @throws Cancelled
Unwrapped unwrap(const Mesh& mesh, const UnwrapSettings& settings, const Progress& progress);

}  // namespace um
