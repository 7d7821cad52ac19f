#pragma once
/// A bound of the distance of a flat piece to the surface over and under it.
#include "mesh/Connectivity.h"

#include <array>

namespace um {

/// Projects the triangles of `mesh` around `start` along `direction`. If they cover the piece and all face the viewer,
/// the height between both is largest at a corner of one of them or at a crossing of edges, because it is linear in
/// between. If they do not cover it, nothing is known.
/// @param corners  of the piece
/// @param start    a triangle that meets the piece in that view
/// @returns the largest distance along `direction`, or infinity: folded, torn or open there, too many triangles, or
///          the piece seen edge on
double patchBound(const std::array<Vec3d, 3>& corners, const Mesh& mesh, const VertexTriangles& around,
                  TriangleId start, const Vec3d& direction);

}  // namespace um
