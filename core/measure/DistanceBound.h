#pragma once
/// A proven bound of the distance of a whole surface to another one.
#include "base/Progress.h"
#include "measure/ClosestPoint.h"

namespace um {

/// Distances known at the vertices of a surface.
struct KnownDistances {
    const std::vector<float>& atVertex;      ///< absolute distance to the other surface
    const std::vector<TriangleId>& closest;  ///< the other surface's closest triangle, for each vertex
    double sampledMax = 0;                   ///< the largest distance found so far, at vertices and elsewhere
    std::size_t questions = 0;               ///< about how many closest-point queries are allowed
    /// A limit to prove, if possible; places beyond it are all looked for. 0 for none.
    double allowed = 0;
};

/// A place on a triangle, and its distance to the other surface.
struct FarPoint {
    double distance = 0;
    Vec3d place = Vec3d::Zero();
    TriangleId triangle = 0;
};

struct DistanceBound {
    double bound = 0;              ///< no point of the surface is farther from the other one
    FarPoint farthest;             ///< the farthest place that a query found; distance 0 without queries
    std::vector<FarPoint> tooFar;  ///< for each triangle with places beyond the limit, the farthest one
};

/// A distance that no point of `from` exceeds to the surface of `to`: within 2 % of the largest one known or met, or
/// within the limit if that is less. If the queries do not suffice, it is looser. Each triangle is bounded in three
/// ways, and cut in two while all of them are too high: the distance function is 1-Lipschitz; the distance to one
/// triangle is convex, so it is largest at a corner; and where the other surface covers the triangle, seen from one
/// side, heights bound the distance (PatchBound.h), or at a border the heights over a disc around its vertex.
/// @throws Cancelled
DistanceBound boundDistance(const Mesh& from, const ClosestPointFinder& to, const KnownDistances& known,
                            const Progress& progress);

}  // namespace um
