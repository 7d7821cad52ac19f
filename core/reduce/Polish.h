#pragma once
/// Moving the vertices of a level, and flipping its edges, to lie closer to its source.
#include "base/Progress.h"
#include "mesh/Mesh.h"
#include "reduce/Insertion.h"
#include "reduce/WorkingMesh.h"

namespace um {

/// Two vertices that a protected line joins.
using LineEdge = std::pair<VertexId, VertexId>;

/// How a level came out of its source.
struct Provenance {
    std::vector<VertexId> destinations;  ///< for each vertex of the source, where in the level it went, or `none`
    std::vector<Kind> levelKinds;        ///< for each vertex of the level
    std::vector<LineEdge> sourceLines, levelLines;
    std::size_t levelWedges = 0;
};

/// Least squares: each vertex of the source pulls at its closest place on the level, and the vertices of the level go
/// where all pulls together are least; then edges are flipped where that brings the surfaces closer; and again. On the
/// way so many new vertices are put in where the source is farthest off, each of them two triangles more.
/// Vertices of protected lines follow the lines of the source; corners and what is locked stay. No triangle is turned
/// over or becomes a needle.
/// @param insertions  new vertices; fewer where nothing may be split
/// @returns the new vertices; `level` has positions, influences and blend shapes for them
/// @throws Cancelled
/// Source: after Hoppe, DeRose, Duchamp, McDonald & Stuetzle 1993, SIGGRAPH: mesh optimization.
std::vector<Birth> polish(Mesh& level, const Mesh& source, const Provenance& provenance, std::size_t insertions,
                          const Progress& progress);

}  // namespace um
