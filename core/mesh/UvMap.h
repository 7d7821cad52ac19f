#pragma once
/// How a triangle lies in its texture: stretched, and over others.
#include "base/Progress.h"
#include "mesh/Mesh.h"

namespace um {

/// How far one goes in the texture for a step of one unit on the surface, along the directions of most and of least.
struct UvScale {
    double area = 0;  ///< of the triangle on the surface; the others are 0 where it has none
    double most = 0, least = 0;
};

/// @param uvs   of wedges
/// @param size  of the texture: (1, 1) tells the scale in UVs, the size of a picture in texels
UvScale uvScale(const Mesh& mesh, TriangleId triangle, const std::vector<Vec2f>& uvs, const Eigen::Vector2d& size);

struct UvOverlap {
    std::size_t materials = 0;          ///< whose UVs lie over each other on a hundredth of what they cover, or more
    std::uint32_t worst = 0;            ///< the material of which the largest share does
    double share = 0;                   ///< that share
    std::vector<TriangleId> triangles;  ///< of those materials, that lie over others; ascending
};

/// Where triangles of one material lie over each other in the first set of UVs, seen on a lattice of 1024 x 1024 that
/// repeats: what is off it by whole numbers falls on the same place.
/// @throws Cancelled
UvOverlap findUvOverlap(const Mesh& mesh, const Progress& progress);

}  // namespace um
