#pragma once
/// Where the vertices of a triangle mesh go when points pull at places of its triangles.
#include "base/Progress.h"
#include "mesh/Connectivity.h"

#include <array>

namespace um {

/// What pulls at the corners of a triangle: a pull at the shares (s0, s1, s2) of them with weight w adds w sk times its
/// vector.
using CornerPulls = std::array<Vec3f, 3>;

/// How the same pulls hold a triangle: each adds w sk sl to `m` if it counts along the normal above all, to `e` if it
/// counts in all directions alike.
struct PullBlock {
    std::array<float, 6> m{};  ///< 00 11 22 01 12 20
    std::array<float, 6> e{};
    Vec3f normal = Vec3f::Zero();

    /// What of a vector counts: all of it along the normal, little of it sideways.
    Vec3f through(const Vec3f& x) const;
};

/// The steps of all vertices that bring all pulls together to the least: M d = r, where each triangle gives M the
/// blocks m_kl N + e_kl, N = n n' + sideways (1 - n n').
/// @param pulls  of each triangle; given back as soon as they are summed up
/// @param held   vertices that stay
/// @throws Cancelled
/// Source: conjugate gradients (Hestenes & Stiefel 1952), with the 3 x 3 blocks of the diagonal as preconditioner.
std::vector<Vec3f> solvePulls(const std::vector<Triangle>& triangles, const VertexTriangles& around,
                              const std::vector<PullBlock>& blocks, std::vector<CornerPulls> pulls,
                              const std::vector<std::uint8_t>& held, const Progress& progress);

}  // namespace um
