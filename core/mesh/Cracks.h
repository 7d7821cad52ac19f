#pragma once
/// Cracks: borders that nearly touch. Finding the vertices on both sides, and welding them.
#include "mesh/EdgeWalk.h"

namespace um {

/// Two border vertices, each the closest to the other among the vertices to which it has no edge.
struct CrackPair {
    VertexId kept = 0, joined = 0;  ///< the smaller number is kept
    double width = 0;
};

/// The default for the largest width of a crack.
double usualCrackWidth(const Mesh& mesh);

/// Pairs with a distance of at most `width`, and of at most a third of the border edges at them, so that small holes do
/// not count as cracks.
/// Ordered by the kept vertex.
std::vector<CrackPair> findCracks(const Mesh& mesh, const std::vector<HalfEdge>& borders, double width);

/// Joins the vertices of the pairs. Different attributes are kept as wedges. Triangles that collapse are removed.
/// @returns the number of joined pairs
std::size_t weldCracks(Mesh& mesh, double width);

}  // namespace um
