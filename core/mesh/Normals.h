#pragma once
/// Making normals for a mesh.
#include "mesh/Mesh.h"

namespace um {

/// Replaces the normals: angle-weighted means over the triangles around a vertex, split where the surface bends by more
/// than `creaseDegrees` along an edge. Other attributes keep their wedges, which are split further where a crease needs
/// it.
/// @param smoothWithin  a group for each triangle, within which no edge is a crease; empty for none
void makeNormals(Mesh& mesh, double creaseDegrees, const std::vector<std::uint32_t>& smoothWithin = {});

}  // namespace um
