#pragma once
/// Where the vertices of a triangle mesh go when points pull at places of its triangles.
#include "base/Progress.h"
#include "mesh/Connectivity.h"

#include <array>

namespace um {

/// The pulls at one triangle. A pull at the shares (s0, s1, s2) of its corners with weight w adds w sk sl to the
/// matrices, and w sk times its vector to the corners: to `m` if it counts along the normal above all, to `e` if it
/// counts in all directions alike.
struct PullBlock {
    std::array<float, 6> m{};  ///< 00 11 22 01 12 20
    std::array<float, 6> e{};
    Vec3f normal = Vec3f::Zero();
    std::array<Vec3f, 3> pull{Vec3f::Zero(), Vec3f::Zero(), Vec3f::Zero()};

    /// What of a vector counts: all of it along the normal, little of it sideways.
    Vec3f through(const Vec3f& x) const;
};

/// The steps of all vertices that bring all pulls together to the least: M d = r, where each triangle gives M the
/// blocks m_kl N + e_kl, N = n n' + sideways (1 - n n').
/// @param held  vertices that stay
/// @throws Cancelled
/// Source: conjugate gradients (Hestenes & Stiefel 1952), with the 3 x 3 blocks of the diagonal as preconditioner.
std::vector<Vec3f> solvePulls(const std::vector<Triangle>& triangles, const VertexTriangles& around,
                              const std::vector<PullBlock>& blocks, const std::vector<std::uint8_t>& held,
                              const Progress& progress);

}  // namespace um
