#pragma once
/// Surfaces swept out by two parameters, as triangles with UVs.
#include "mesh/Mesh.h"

#include <functional>

namespace um::demo {

struct Grid {
    std::size_t columns = 2;  ///< quads along u
    std::size_t rows = 2;     ///< quads along v
    bool closedAlongU = false;
    bool closedAlongV = false;
    bool poleAtStart = false;  ///< all of the row v = 0 is one point
    bool poleAtEnd = false;    ///< all of the row v = 1 is one point
};

/// Adds the surface point(u, v), u and v from 0 to 1, to `mesh` as triangles of the section (part, material).
/// Counter-clockwise is where u turns left of v.
void addGrid(Mesh& mesh, std::uint32_t part, std::uint32_t material, const Grid& grid,
             const std::function<Vec3d(double u, double v)>& point, bool withUvs);

}  // namespace um::demo
