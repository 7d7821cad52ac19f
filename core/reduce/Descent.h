#pragma once
/// The last stretch of a reduction, from a few triangles more than wanted down to the target.
#include "reduce/Contraction.h"
#include "reduce/Polish.h"

namespace um {

/// What a descent takes care of.
struct DescentSettings {
    Treatment treatment;  ///< its factors are those of the source's vertices, its knownKinds are not looked at
    std::vector<std::size_t> leastOfParts;
    std::vector<LineEdge> sourceLines;
};

/// The triangles at which a contraction should pause for a descent to the target.
std::size_t startOfDescent(std::size_t target, std::size_t sourceTriangles);

/// Polishes what there is, contracts it further, and so on in small steps: where the vertices lie as close to the
/// source as they can, the cost of contracting an edge is counted anew from the surface that there is. A vertex that
/// does little there goes, and the others take over; what has been done up to here is not held against them. The last
/// polish puts in vertices where the source is farthest off. What lies below the target already is polished only.
/// @param from  a contraction of source.mesh, after finish()
/// @throws Cancelled
/// Source: contraction without memory after Lindstrom & Turk 1998, IEEE Visualization: fast and memory efficient
/// polygonal simplification.
Mesh descend(const Contraction& from, const PolishSource& source, const DescentSettings& settings, std::size_t target,
             const Progress& progress);

}  // namespace um
