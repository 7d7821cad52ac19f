#pragma once
/// Border, non-manifold and inconsistently wound edges, and border loops.
#include "mesh/Connectivity.h"

namespace um {

/// A directed edge, in the winding order of its triangle.
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

/// All lists are ordered by vertex. Triangles with equal corners are skipped.
EdgeFaults findEdgeFaults(const Mesh& mesh, const VertexTriangles& around);

/// Chains of border edges. Each vertex of a loop is listed once. Chains that do not close, as at non-manifold places,
/// are listed as well.
std::vector<std::vector<VertexId>> borderLoops(const std::vector<HalfEdge>& borders);

}  // namespace um
