#pragma once
/// Which vertices of a dense mesh can be drawn together at once: sooner than contracting edges one by one, where most
/// of them will go anyway.
#include "reduce/WorkingMesh.h"

namespace um {

/// Finds stars: centres no two of which are neighbours, each with those of its neighbours that it takes in at the least
/// error. Where that would be dearest, near protected lines and borders, and where a triangle would
/// be turned over or squeezed, or the surface pinched, vertices stay as they are. Drawing all stars together leaves a
/// third to a half of the triangles and is the same as contracting their edges in some order: nothing is torn or
/// closed.
/// @param share   of the vertices that could be taken in, those that are
/// @param spared  for each section, whether its triangles are all to stay as they are; or empty
/// @returns the same whatever the number of threads
/// @throws Cancelled
/// Source: independent sets of vertices after Kirkpatrick 1983, SIAM Journal on Computing: optimal search in planar
/// subdivisions.
Stars findStars(const WorkingMesh& mesh, double share, const std::vector<std::uint8_t>& spared,
                const Progress& progress);

}  // namespace um
