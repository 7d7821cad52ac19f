#pragma once
/// The cost of a mesh for a graphics card: triangles and shaded pixels for each covered pixel.
#include "base/Progress.h"
#include "mesh/Mesh.h"

namespace um {

/// Smaller triangles cost more than they show, because cards shade blocks of 2 x 2 pixels.
constexpr double leastPixels = 4;

struct PixelLoad {
    double pixels = 0;             ///< that are covered
    double pixelsPerTriangle = 0;  ///< covered pixels to each triangle that faces the viewer, hidden or not
    double underFour = 0;          ///< share of the covered pixels in which a triangle of under four pixels is seen
    double overdraw = 0;           ///< pixels shaded, in blocks of 2 x 2 for each triangle, to each covered one
};

/// Drawn without perspective, looking along -z after `turn`, as a graphics card does it: a pixel belongs to what covers
/// its middle. Backs are left out, except of double-sided materials.
/// @throws MeshError  if the picture would have more than 4096 pixels a side
PixelLoad measurePixelLoad(const Mesh& mesh, const Mat3d& turn, double pixelsPerUnit);

/// The mean over `count` directions (see viewDirections), each weighted by its covered pixels.
/// @throws MeshError, Cancelled
/// @throws InputError  if there is no such set of directions
PixelLoad measurePixelLoad(const Mesh& mesh, int views, double pixelsPerUnit, const Progress& progress);

}  // namespace um
