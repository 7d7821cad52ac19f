#pragma once
/// Texture drift: displacement of textures on the surface of a level.
#include "base/Progress.h"
#include "mesh/Mesh.h"

namespace um {

/// Lengths along the surface, in the source's unit.
struct TextureDrift {
    double mean = 0, rms = 0, p95 = 0, max = 0;
};

/// At points all over the level: the distance between the closest place on the source and the place on it with the same
/// UV. At seams the nearest chart of the source counts.
/// @throws MeshError  if either mesh has no UVs, or is not sound
/// @throws Cancelled
TextureDrift measureTextureDrift(const Mesh& source, const Mesh& level, const Progress& progress);

}  // namespace um
