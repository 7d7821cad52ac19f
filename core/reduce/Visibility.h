#pragma once
/// Visibility from outside: vertices on outlines, and triangles that are never seen.
#include "base/Progress.h"
#include "mesh/Mesh.h"

namespace um {

/// For each vertex the share of directions (0 to 1) from which it lies on the outline.
/// @throws Cancelled
std::vector<float> silhouetteExposure(const Mesh& mesh, const Progress& progress);

/// The weight of the error at a vertex. With a strength of 0 all weights are 1.
/// @param strength  0 to 1
std::vector<float> silhouetteFactors(const std::vector<float>& exposure, double strength);

/// For each triangle, whether any part of it is seen from outside; doubtful cases count as seen.
/// @throws Cancelled
std::vector<std::uint8_t> seenFromOutside(const Mesh& mesh, const Progress& progress);

}  // namespace um
