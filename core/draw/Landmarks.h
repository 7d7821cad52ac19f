#pragma once
/// Some vertices that tell where in a picture a mesh is, whatever side it is seen from.
#include "mesh/Mesh.h"

namespace um {

/// Of a mesh with more than `count` vertices its outermost ones in 96 directions, and `count` others; else all. From
/// no side does much of the mesh lie outside of them: a hundredth of its size, as a rule. Costs O(v).
std::vector<Vec3f> findLandmarks(const Mesh& mesh, std::size_t count = 4096);

}  // namespace um
