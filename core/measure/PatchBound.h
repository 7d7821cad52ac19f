#pragma once
/// How far a flat piece is at most from the part of a surface that lies over and under it.
#include "mesh/Connectivity.h"

#include <array>

namespace um {

/// Seen along `direction`, the triangles of `mesh` around `start` that meet the piece either cover it, each facing the
/// viewer, and then both are nowhere farther apart than where, in that view, a corner of the one lies in the other or
/// their edges cross, since both are flat in between. Or they do not cover it so, and nothing is known.
/// @param corners  of the piece
/// @param start    a triangle that meets the piece in that view
/// @returns the largest distance along `direction`, or infinity: folded, torn or open there, too many triangles, or
///          the piece seen edge on
double patchBound(const std::array<Vec3d, 3>& corners, const Mesh& mesh, const VertexTriangles& around,
                  TriangleId start, const Vec3d& direction);

}  // namespace um
