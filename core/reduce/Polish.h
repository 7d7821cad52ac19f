#pragma once
/// Moving the vertices of a level, and flipping its edges, to lie closer to its source.
#include "base/Progress.h"
#include "mesh/Mesh.h"
#include "reduce/WorkingMesh.h"

namespace um {

/// Two vertices that a protected line joins.
using LineEdge = std::pair<VertexId, VertexId>;

/// How a level came out of its source.
struct Provenance {
    std::vector<VertexId> destinations;  ///< for each vertex of the source, where in the level it went, or `none`
    std::vector<Kind> levelKinds;        ///< for each vertex of the level
    std::vector<LineEdge> sourceLines, levelLines;
};

/// Least squares: each vertex of the source pulls at its closest place on the level, and the vertices of the level go
/// where all pulls together are least; then edges are flipped where that brings the surfaces closer; and again.
/// Vertices of protected lines follow the lines of the source; corners and what is locked stay. No triangle is turned
/// over or becomes a needle.
/// @throws Cancelled
/// Source: after Hoppe, DeRose, Duchamp, McDonald & Stuetzle 1993, SIGGRAPH: mesh optimization.
void polish(Mesh& level, const Mesh& source, const Provenance& provenance, const Progress& progress);

}  // namespace um
