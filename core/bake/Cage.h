#pragma once
/// The room around a level in which its source is looked for, as deep as the two were measured to be apart.
#include "base/Progress.h"
#include "mesh/Mesh.h"

namespace um {

/// Of each vertex of a level.
struct Cage {
    std::vector<Vec3f> directions;  ///< outwards, unit length, smooth over creases so that no gap opens at them
    std::vector<float> depths;      ///< both ways, in the mesh's unit
};

struct CageSettings {
    double factor = 1;  ///< on the depths that were measured
    double depth = 0;   ///< everywhere, instead of what was measured; in the mesh's unit, 0 for none

    bool operator==(const CageSettings&) const = default;
};

/// Depths follow the distances between the surfaces near each vertex, and a little more.
/// @throws MeshError  if the level has no area
/// @throws Cancelled
Cage makeCage(const Mesh& source, const Mesh& level, const CageSettings& settings, const Progress& progress);

}  // namespace um
