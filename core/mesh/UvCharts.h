#pragma once
/// Charts: triangles that are connected in the first set of UVs.
#include "mesh/Mesh.h"

namespace um {

/// An edge of a triangle, from its corner k to the next one.
struct ChartEdge {
    TriangleId triangle = 0;
    std::uint32_t corner = 0;
};

struct UvCharts {
    std::size_t count = 0;
    std::vector<std::uint32_t> chartOf;  ///< of each triangle
    std::vector<ChartEdge> borders;      ///< edges without a neighbour in the UVs; ordered by triangle
};

/// Triangles are of one chart if they have an edge in common at whose ends their UVs are the same, and the same
/// material; the mesh has UVs.
UvCharts findUvCharts(const Mesh& mesh);

/// A triangle's corners in the UVs.
std::array<Vec2d, 3> uvCorners(const Mesh& mesh, TriangleId triangle);

/// Twice the area of a triangle in the first UVs; negative where it is mirrored.
double uvArea(const Mesh& mesh, TriangleId triangle);

/// Barycentric coordinates of a UV place in a triangle; NaN where it has no area in the UVs.
Vec3d sharesAtUv(const std::array<Vec2d, 3>& corners, const Vec2d& uv);

}  // namespace um
