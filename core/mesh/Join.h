#pragma once
/// Several meshes as one.
#include "mesh/Mesh.h"

namespace um {

/// All of the second's parts beside those of the first, in its unit and axes, with materials and textures of their own.
/// What only one of them has the other gets: normals by its shape, white, UVs at the origin. Skin and morphs go.
void joinTo(Mesh& mesh, Mesh other);

}  // namespace um
