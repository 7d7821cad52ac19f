#pragma once
/// The edges of a mesh that are not shared by exactly two agreeing triangles, and the loops of those with one.
#include "mesh/Connectivity.h"

namespace um {

/// An edge as its triangle runs through it.
struct HalfEdge {
    VertexId from = 0, to = 0;
    TriangleId triangle = 0;
};

struct EdgeFaults {
    std::vector<HalfEdge> borders;       ///< edges of one triangle
    std::vector<HalfEdge> nonManifold;   ///< edges of three triangles or more, each once
    std::vector<HalfEdge> winding;       ///< edges whose two triangles run through them the same way, each once
    std::vector<TriangleId> duplicates;  ///< triangles on the same three vertices as one with a smaller number
};

/// Ordered by vertex. Triangles with equal corners are passed over.
EdgeFaults findEdgeFaults(const Mesh& mesh, const VertexTriangles& around);

/// Border edges followed from one to the next. Each vertex of a loop stands once; runs that do not close, as at broken
/// places, are loops too.
std::vector<std::vector<VertexId>> borderLoops(const std::vector<HalfEdge>& borders);

}  // namespace um
