#pragma once
/// Triangles around a vertex that are looked at together.
#include "reduce/EdgeBatch.h"

namespace um {

/// What lies opposite to a vertex in several of its triangles, in arrays, so that loops over all of them become a few
/// operations on wide registers.
struct Sides {
    static constexpr std::size_t size = EdgeBatch::size;
    using Lanes = EdgeBatch::Lanes;

    Lanes aX, aY, aZ, bX, bY, bZ;

    void put(std::size_t i, const Vec3d& a, const Vec3d& b) {
        aX[i] = a[0];
        aY[i] = a[1];
        aZ[i] = a[2];
        bX[i] = b[0];
        bY[i] = b[1];
        bZ[i] = b[2];
    }
    Vec3d a(std::size_t i) const { return {aX[i], aY[i], aZ[i]}; }
    Vec3d b(std::size_t i) const { return {bX[i], bY[i], bZ[i]}; }
};

/// The planes of those triangles.
struct Planes {
    Sides::Lanes x, y, z, area;

    /// Of length 1; nothing that can be used where the area is 0.
    Vec3d normal(std::size_t i) const { return {x[i], y[i], z[i]}; }
};

/// @param sides  counted from the vertex
void findPlanes(const Sides& sides, Planes& planes);

}  // namespace um
