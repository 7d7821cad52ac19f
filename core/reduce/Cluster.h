#pragma once
/// A coarse stand-in of a mesh for drawing while the camera moves. Never a result.
#include "base/Progress.h"
#include "mesh/Mesh.h"

namespace um {

/// Joins all vertices of a grid cell into their mean. The grid is chosen so that about `triangles` are left; parts and
/// materials are kept, other attributes are not. Costs O(v + t).
/// @throws Cancelled
/// Source: Rossignac & Borrel 1993, Modeling in Computer Graphics: multi-resolution 3D approximations.
Mesh clusterVertices(const Mesh& source, std::size_t triangles, const Progress& progress);

}  // namespace um
