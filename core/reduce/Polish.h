#pragma once
/// What a polish goes by: a source made ready for it, and how a level came out of the source.
#include "mesh/Mesh.h"
#include "mesh/SurfaceWalk.h"
#include "reduce/WorkingMesh.h"

namespace um {

/// Two vertices that a protected line joins.
using LineEdge = std::pair<VertexId, VertexId>;

/// What a polish needs to know of a source, whatever the level.
struct PolishSource {
    /// Keeps a reference to `source`.
    /// @throws Cancelled
    PolishSource(const Mesh& source, const Progress& progress);

    const Mesh& mesh;
    VertexTriangles around;
    std::vector<Sphere> spheres;  ///< around each triangle
};

/// How a level came out of its source.
struct Provenance {
    std::vector<VertexId> destinations;  ///< for each vertex of the source, where in the level it went, or `none`
    std::vector<Kind> levelKinds;        ///< for each vertex of the level
    std::vector<LineEdge> sourceLines, levelLines;
    std::size_t levelWedges = 0;
};

}  // namespace um
