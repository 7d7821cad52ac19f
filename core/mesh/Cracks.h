#pragma once
/// Borders that nearly touch: the vertices on either side of a crack, and welding them.
#include "mesh/EdgeWalk.h"

namespace um {

/// Two vertices on borders, each the closest to the other of those that no edge joins to it.
struct CrackPair {
    VertexId kept = 0, joined = 0;  ///< the smaller number is kept
    double width = 0;
};

/// The width up to which borders are taken as torn apart unless another is given.
double usualCrackWidth(const Mesh& mesh);

/// Pairs no farther apart than `width`, nor than a third of the border edges at them: small holes are no cracks.
/// Ordered by the kept vertex.
std::vector<CrackPair> findCracks(const Mesh& mesh, const std::vector<HalfEdge>& borders, double width);

/// Joins the vertices of those pairs; what differs between them lives on in wedges. Triangles that become nothing go.
/// @returns how many were joined
std::size_t weldCracks(Mesh& mesh, double width);

}  // namespace um
