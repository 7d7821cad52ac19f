#pragma once
/// Stretch and overlap of triangles in their texture.
#include "base/Progress.h"
#include "mesh/Mesh.h"

namespace um {

/// The singular values of the map from surface to texture: texture length for one unit of surface length, in the
/// directions of most and least.
struct UvScale {
    double area = 0;  ///< of the triangle on the surface; the others are 0 where it has none
    double most = 0, least = 0;
};

/// @param uvs   of wedges
/// @param size  of the texture: (1, 1) tells the scale in UVs, the size of a picture in texels
UvScale uvScale(const Mesh& mesh, TriangleId triangle, const std::vector<Vec2f>& uvs, const Eigen::Vector2d& size);

struct UvOverlap {
    std::size_t materials = 0;          ///< with overlaps on at least a hundredth of the covered UV area
    std::uint32_t worst = 0;            ///< the material with the largest share of overlap
    double share = 0;                   ///< that share
    std::vector<TriangleId> triangles;  ///< of those materials, that lie over others; ascending
};

/// Where triangles of one material lie over each other in the first set of UVs, sampled on a lattice of 1024 x 1024.
/// Coordinates are taken modulo 1.
/// @throws Cancelled
UvOverlap findUvOverlap(const Mesh& mesh, const Progress& progress);

}  // namespace um
