#pragma once
/// How different two textured meshes look, lit alike.
#include "bake/SurfaceMaterial.h"
#include "base/Progress.h"

namespace um {

/// Differences of colour are distances in CIELAB, of which about 2 can be seen side by side.
struct LookDifference {
    double mean = 0;                    ///< over all pixels that both cover, from all directions
    double worst = 0;                   ///< the mean from the direction where it is largest
    double p95 = 0;                     ///< of all pixels
    double azimuth = 0, elevation = 0;  ///< of that direction, degrees
    double covered = 0;                 ///< pixels that both cover, the mean of all directions
};

/// Draws both with their textures, matte, under one lamp and light from all around, from 26 directions, and compares
/// pixel by pixel. Larger than 512 pixels is compared at 512.
/// @param pixelsPerUnit  the scale at which they are seen
/// @param progress       goes from 0 to 1
/// @throws Cancelled
/// Source: CIE 15:2004 (L*a*b*, differences as CIE 1976).
LookDifference measureLook(const SurfaceMaterial& source, const SurfaceMaterial& level, double pixelsPerUnit,
                           const Progress& progress);

}  // namespace um
