#pragma once
/// What lies at one place: where a line of sight meets a surface, and the closest point of another one. Without any
/// search structure, so that a single question needs no preparation: about 10 ms for a million triangles.
#include "measure/ClosestPoint.h"

#include <optional>

namespace um {

/// Where a ray first meets the mesh, from either side; `distance` is the way there from `from`.
/// @param direction  of any length but 0
/// Source: Möller & Trumbore 1997, Journal of Graphics Tools 2(1).
std::optional<SurfacePoint> firstHit(const Mesh& mesh, const Vec3d& from, const Vec3d& direction);

/// The closest point of the mesh; nothing if it has no triangle.
std::optional<SurfacePoint> closestOnMesh(const Mesh& mesh, const Vec3d& place);

/// How far a surface is off where a line of sight first meets it.
struct Probe {
    Vec3d place = Vec3d::Zero();    ///< on the surface
    Vec3d closest = Vec3d::Zero();  ///< on the other one
    double distance = 0;            ///< signed: + where the level lies outside the source
    std::uint32_t part = 0;         ///< of the surface, at that place
};

/// @param isSource  whether `surface` is the source and `other` its level, or the other way round
/// @returns nothing where the ray meets nothing
std::optional<Probe> probe(const Mesh& surface, bool isSource, const Mesh& other, const Vec3d& from,
                           const Vec3d& direction);

}  // namespace um
