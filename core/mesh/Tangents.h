#pragma once
/// Tangents of a textured surface, for normal maps.
#include "mesh/Mesh.h"

namespace um {

/// For each wedge the direction in which u grows, square to the normal, and in w the side (1 or -1) on which v grows:
/// v = w * (normal x tangent). Means over the triangles around a wedge, weighted by angle and without those whose UVs
/// have no area. Needs normals and UVs, and wedges of one side each (see partMirroredWedges).
/// Source: Mikkelsen 2008, master's thesis, University of Copenhagen: the convention that normal maps are baked with.
std::vector<Vec4f> makeTangents(const Mesh& mesh);

/// Whether triangles whose UVs run opposite ways round share a wedge, as where one half of a texture serves both sides.
bool hasMirroredWedges(const Mesh& mesh);

/// Gives triangles with mirrored UVs wedges of their own, with the same values: shared ones would have opposite
/// tangents, which cancel out.
void partMirroredWedges(Mesh& mesh);

}  // namespace um
