#pragma once
/// How far textures have moved on the surface of a level.
#include "base/Progress.h"
#include "mesh/Mesh.h"

namespace um {

/// Lengths along the surface, in the source's unit.
struct TextureDrift {
    double mean = 0, rms = 0, p95 = 0, max = 0;
};

/// For points all over the level: how far along the source's surface lies the place that has the same UV, from the
/// place that is closest. Where the source's seams run, the nearest of its charts counts.
/// @throws MeshError  if either mesh has no UVs, or is not sound
/// @throws Cancelled
TextureDrift measureTextureDrift(const Mesh& source, const Mesh& level, const Progress& progress);

}  // namespace um
