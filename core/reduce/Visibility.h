#pragma once
/// What players see of a mesh: which places carry its outline, and which no one ever sees.
#include "base/Progress.h"
#include "mesh/Mesh.h"

namespace um {

/// How often each vertex lies on the outline, over directions all around: 0 never, 1 from everywhere.
/// @throws Cancelled
std::vector<float> silhouetteExposure(const Mesh& mesh, const Progress& progress);

/// The factor by which the error at a vertex counts. A strength of 0 treats all alike.
/// @param strength  0 to 1
std::vector<float> silhouetteFactors(const std::vector<float>& exposure, double strength);

/// For each triangle, whether any part of it is seen from outside; doubts count as seen.
/// @throws Cancelled
std::vector<std::uint8_t> seenFromOutside(const Mesh& mesh, const Progress& progress);

}  // namespace um
