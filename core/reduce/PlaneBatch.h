#pragma once
/// Triangles around a vertex that are looked at together.
#include "base/Math.h"

#include <array>

namespace um {

/// In arrays, so that loops over all of them become a few operations on wide registers.
struct PlaneBatch {
    static constexpr std::size_t size = 4;
    using Lanes = std::array<double, size>;

    Lanes nextX{}, nextY{}, nextZ{}, lastX{}, lastY{}, lastZ{};  ///< the other corners, counted from the vertex
    Lanes normalX{}, normalY{}, normalZ{}, area{};               ///< of length 1; an area of 0 leaves no normal

    void put(std::size_t i, const Vec3d& toNext, const Vec3d& toLast) {
        nextX[i] = toNext[0];
        nextY[i] = toNext[1];
        nextZ[i] = toNext[2];
        lastX[i] = toLast[0];
        lastY[i] = toLast[1];
        lastZ[i] = toLast[2];
    }

    Vec3d toNext(std::size_t i) const { return {nextX[i], nextY[i], nextZ[i]}; }
    Vec3d toLast(std::size_t i) const { return {lastX[i], lastY[i], lastZ[i]}; }
    Vec3d normal(std::size_t i) const { return {normalX[i], normalY[i], normalZ[i]}; }
};

/// Puts normals and areas in.
void findPlanes(PlaneBatch& batch);

}  // namespace um
