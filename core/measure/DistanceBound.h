#pragma once
/// How far a whole surface can be from another one, proven from what is known at its vertices.
#include "base/Progress.h"
#include "measure/ClosestPoint.h"

namespace um {

/// What measuring the vertices of a surface has found.
struct KnownDistances {
    const std::vector<float>& atVertex;      ///< absolute distance to the other surface
    const std::vector<TriangleId>& closest;  ///< the other surface's closest triangle, for each vertex
    double sampledMax = 0;                   ///< the largest distance found so far, at vertices and elsewhere
    std::size_t questions = 0;               ///< closest points that may be asked for, about
};

/// A distance that no point of `from` exceeds to the surface of `to`: within 2 % of the sampled maximum where the
/// questions suffice, and looser where they do not. Each triangle is bounded in three ways, and cut into four while all
/// of them are too high: the distance changes by no more than the way gone; the distance to one triangle is convex, so
/// it is largest at a corner; and over the ring of triangles around a vertex, which covers a disc when seen along the
/// vertex's normal, heights above and below that disc bound the distance (at a border, that part of the disc which lies
/// within).
/// @throws Cancelled
double boundDistance(const Mesh& from, const ClosestPointFinder& to, const KnownDistances& known,
                     const Progress& progress);

}  // namespace um
