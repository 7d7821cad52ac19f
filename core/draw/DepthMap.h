#pragma once
/// What is seen first from a direction, as a picture of depths.
#include "mesh/Mesh.h"

#include <limits>

namespace um {

/// Rotations that turn `count` directions, evenly spread over the sphere, to the viewer (+z).
/// Source: González 2010, Mathematical Geosciences 42: Fibonacci lattices on the sphere.
std::vector<Mat3d> evenDirections(int count);

/// A picture without perspective, looking along -z after `turn`.
struct DepthMap {
    static constexpr float empty = -std::numeric_limits<float>::max();

    Mat3d turn = Mat3d::Identity();
    double pixelsPerUnit = 1;
    Eigen::Vector2d origin = Eigen::Vector2d::Zero();  ///< the corner of pixel 0, 0, in pixels
    int width = 0, height = 0;
    std::vector<float> nearest;  ///< the highest z of each pixel, or `empty`

    /// x and y in pixels, z in units.
    Vec3d project(const Vec3f& p) const;
    float at(int x, int y) const;  ///< `empty` outside the picture
};

/// Draws triangles at the centres of pixels, and all vertices, so that small ones show too.
/// @param pixels  along the longest side of the box around the mesh
DepthMap drawDepth(const Mesh& mesh, const Mat3d& turn, int pixels);

}  // namespace um
