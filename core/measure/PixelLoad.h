#pragma once
/// What a mesh costs the graphics card for each pixel that it covers.
#include "base/Progress.h"
#include "mesh/Mesh.h"

namespace um {

/// Triangles below that many pixels cost more than they show: cards shade in blocks of 2 x 2 pixels.
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

/// The mean over so many directions (see viewDirections), each weighted by the pixels it covers.
/// @throws MeshError, Cancelled; InputError  for a number of directions that there is not
PixelLoad measurePixelLoad(const Mesh& mesh, int views, double pixelsPerUnit, const Progress& progress);

}  // namespace um
