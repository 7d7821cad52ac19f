#pragma once
/// Several meshes as one.
#include "mesh/Mesh.h"

namespace um {

/// All of the second's parts beside those of the first, in its unit and axes, with materials and textures of their own.
/// An attribute that only one of them has is made for the other: normals from its shape, white, UVs at the origin.
/// Skins and morphs are dropped.
void joinTo(Mesh& mesh, Mesh other);

}  // namespace um
