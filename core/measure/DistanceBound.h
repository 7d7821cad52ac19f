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
    /// To be proven if it can be; where something is farther off, all such places are looked for. 0 where nobody asks.
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
    FarPoint farthest;             ///< the farthest place met while proving it; at a distance of 0 if nothing was asked
    std::vector<FarPoint> tooFar;  ///< the farthest place met of each triangle that has one farther off than allowed
};

/// A distance that no point of `from` exceeds to the surface of `to`: within 2 % of the largest one known or met, or
/// within what is allowed if that is less, where the questions suffice, and looser where they do not. Each triangle is
/// bounded in three ways, and cut in two while all of them are too high: the distance changes by no more than the way
/// gone; the distance to one triangle is convex, so it is largest at a corner; and where the other surface covers it,
/// seen from one side, heights bound the distance (PatchBound.h), or at a border those over a disc around its vertex.
/// @throws Cancelled
DistanceBound boundDistance(const Mesh& from, const ClosestPointFinder& to, const KnownDistances& known,
                            const Progress& progress);

}  // namespace um
