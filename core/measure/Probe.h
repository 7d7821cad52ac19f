#pragma once
/// Deviation at one place: the hit of a line of sight, and the closest point of the other surface. By brute force, so
/// that a single query needs no preparation: about 10 ms for a million triangles.
#include "measure/ClosestPoint.h"

#include <optional>

namespace um {

/// The first hit of a ray, on front or back faces; `distance` is measured from `from`.
/// @param direction  of any length but 0
/// Source: Möller & Trumbore 1997, Journal of Graphics Tools 2(1).
std::optional<SurfacePoint> firstHit(const Mesh& mesh, const Vec3d& from, const Vec3d& direction);

/// The closest point of the mesh; nothing if it has no triangle.
std::optional<SurfacePoint> closestOnMesh(const Mesh& mesh, const Vec3d& place);

/// The deviation at the first hit of a line of sight.
struct Probe {
    Vec3d place = Vec3d::Zero();    ///< on the surface
    Vec3d closest = Vec3d::Zero();  ///< on the other one
    double distance = 0;            ///< signed: + where the level lies outside the source
    std::uint32_t part = 0;         ///< of the surface, at that place
};

/// @param isSource  whether `surface` is the source and `other` its level, or the other way round
/// @returns nothing if the ray misses the surface
std::optional<Probe> probe(const Mesh& surface, bool isSource, const Mesh& other, const Vec3d& from,
                           const Vec3d& direction);

}  // namespace um
