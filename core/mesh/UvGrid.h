#pragma once
/// Finds the triangles at a place of a UV map.
#include "base/Groups.h"
#include "mesh/Mesh.h"

#include <functional>
#include <optional>

namespace um {

/// The first UVs' bounding box in square cells, each of which knows the triangles whose bounding boxes meet it.
class UvGrid {
public:
    UvGrid() = default;
    /// Of all triangles of a mesh that has UVs. The mesh must outlive the grid.
    explicit UvGrid(const Mesh& mesh);

    /// The first of the wanted triangles that covers the place, or nothing.
    /// @param isAsked  empty for all triangles
    std::optional<TriangleId> triangleAt(const Vec2d& uv, const std::function<bool(TriangleId)>& isAsked = {}) const;

private:
    std::size_t cellAlong(double value, int axis) const;

    const Mesh* m_mesh = nullptr;
    Vec2d m_low = Vec2d::Zero(), m_cellsPerUnit = Vec2d::Zero();
    std::size_t m_side = 1;  // cells along each axis
    Groups m_triangles;      // of each cell, row by row
};

}  // namespace um
