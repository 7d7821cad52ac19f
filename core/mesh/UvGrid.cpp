#include "mesh/UvGrid.h"

#include "base/Parallel.h"
#include "mesh/UvCharts.h"

#include <cmath>

namespace um {
namespace {

// Finer grids would repeat large triangles in too many cells.
constexpr double mostCellsAlong = 256;

}  // namespace

UvGrid::UvGrid(const Mesh& mesh) : m_mesh(&mesh) {
    Vec2d high = mesh.uvs.empty() ? Vec2d(1, 1) : Vec2d(mesh.uvs[0].cast<double>());
    m_low = mesh.uvs.empty() ? Vec2d(0, 0) : high;
    for (const Vec2f& uv : mesh.uvs) {
        m_low = m_low.cwiseMin(uv.cast<double>());
        high = high.cwiseMax(uv.cast<double>());
    }
    m_side = std::size_t(std::clamp(std::sqrt(double(mesh.triangleCount())), 1.0, mostCellsAlong));
    for (int axis = 0; axis < 2; ++axis)
        m_cellsPerUnit[axis] = high[axis] > m_low[axis] ? double(m_side) / (high[axis] - m_low[axis]) : 0;
    m_triangles =
        groupItems(mesh.uvs.empty() ? 0 : mesh.triangleCount(), m_side * m_side, [&](std::size_t t, auto&& visit) {
            const std::array<Vec2d, 3> uvs = uvCorners(mesh, TriangleId(t));
            const Vec2d least = uvs[0].cwiseMin(uvs[1]).cwiseMin(uvs[2]),
                        most = uvs[0].cwiseMax(uvs[1]).cwiseMax(uvs[2]);
            for (std::size_t row = cellAlong(least.y(), 1); row <= cellAlong(most.y(), 1); ++row)
                for (std::size_t column = cellAlong(least.x(), 0); column <= cellAlong(most.x(), 0); ++column)
                    visit(row * m_side + column);
        });
}

std::size_t UvGrid::cellAlong(double value, int axis) const {
    return std::size_t(std::clamp((value - m_low[axis]) * m_cellsPerUnit[axis], 0.0, double(m_side - 1)));
}

std::optional<TriangleId> UvGrid::triangleAt(const Vec2d& uv, const std::function<bool(TriangleId)>& isAsked) const {
    if (m_mesh == nullptr || !uv.allFinite()) return std::nullopt;
    for (const TriangleId t : m_triangles.of(cellAlong(uv.y(), 1) * m_side + cellAlong(uv.x(), 0)))
        if ((!isAsked || isAsked(t)) && sharesAtUv(uvCorners(*m_mesh, t), uv).minCoeff() >= 0) return t;
    return std::nullopt;
}

}  // namespace um
