#include "demo/Grid.h"

#include "base/Parallel.h"

namespace um::demo {
namespace {

// The number of a grid point: rows of points, a pole being a row of one.
class Numbering {
public:
    Numbering(const Grid& grid, bool shared)
        : m_grid(grid), m_shared(shared), m_width(shared && grid.closedAlongU ? grid.columns : grid.columns + 1) {}

    std::size_t rowCount() const { return m_shared && m_grid.closedAlongV ? m_grid.rows : m_grid.rows + 1; }
    std::size_t count() const { return begin(rowCount()); }

    std::uint32_t at(std::size_t column, std::size_t row) const {
        if (m_shared && m_grid.closedAlongV) row %= m_grid.rows;
        if (isPole(row)) return std::uint32_t(begin(row));
        return std::uint32_t(begin(row) + (m_shared && m_grid.closedAlongU ? column % m_grid.columns : column));
    }

    std::size_t widthOf(std::size_t row) const { return isPole(row) ? 1 : m_width; }

    std::size_t begin(std::size_t row) const {
        // UVs fan out even at a pole: only shared positions have the row of one.
        if (!m_shared) return row * m_width;
        std::size_t first = row * m_width;
        if (m_grid.poleAtStart && row > 0) first -= m_width - 1;
        if (m_grid.poleAtEnd && row > m_grid.rows) first -= m_width - 1;
        return first;
    }

private:
    bool isPole(std::size_t row) const {
        return m_shared && ((m_grid.poleAtStart && row == 0) || (m_grid.poleAtEnd && row == m_grid.rows));
    }

    const Grid& m_grid;
    bool m_shared;
    std::size_t m_width;
};

}  // namespace

void addGrid(Mesh& mesh, std::uint32_t part, std::uint32_t material, const Grid& grid,
             const std::function<Vec3d(double u, double v)>& point, bool withUvs) {
    const Numbering positions(grid, true);
    const Numbering corners(grid, false);
    const std::size_t firstPosition = mesh.positions.size();
    const std::size_t firstWedge = mesh.uvs.size();
    mesh.positions.resize(firstPosition + positions.count());
    parallelFor(
        positions.rowCount(),
        [&](std::size_t row) {
            for (std::size_t column = 0; column < positions.widthOf(row); ++column)
                mesh.positions[firstPosition + positions.at(column, row)] =
                    point(double(column) / double(grid.columns), double(row) / double(grid.rows)).cast<float>();
        },
        4);
    if (withUvs)
        for (std::size_t row = 0; row <= grid.rows; ++row)
            for (std::size_t column = 0; column <= grid.columns; ++column)
                mesh.uvs.emplace_back(float(column) / float(grid.columns), float(row) / float(grid.rows));

    const auto first = TriangleId(mesh.triangles.size());
    const auto add = [&](const std::array<std::array<std::size_t, 2>, 3>& places) {
        Triangle triangle, wedge;
        for (std::size_t i = 0; i < 3; ++i) {
            triangle[i] = std::uint32_t(firstPosition) + positions.at(places[i][0], places[i][1]);
            wedge[i] = std::uint32_t(firstWedge) + corners.at(places[i][0], places[i][1]);
        }
        mesh.triangles.push_back(triangle);
        if (withUvs) mesh.wedges.push_back(wedge);
    };
    for (std::size_t row = 0; row < grid.rows; ++row)
        for (std::size_t column = 0; column < grid.columns; ++column) {
            const bool startPole = grid.poleAtStart && row == 0;
            const bool endPole = grid.poleAtEnd && row + 1 == grid.rows;
            // Diagonals alternate, so that no direction is favoured.
            const bool slash = (row + column) % 2 == 0;
            const std::array<std::size_t, 2> a = {column, row}, b = {column + 1, row}, c = {column + 1, row + 1},
                                             d = {column, row + 1};
            if (startPole) {
                add({a, c, d});
            } else if (endPole) {
                add({a, b, c});
            } else if (slash) {
                add({a, b, c});
                add({a, c, d});
            } else {
                add({a, b, d});
                add({b, c, d});
            }
        }
    const auto count = std::uint32_t(mesh.triangles.size() - first);
    if (!mesh.sections.empty() && mesh.sections.back().part == part && mesh.sections.back().material == material)
        mesh.sections.back().triangleCount += count;
    else
        mesh.sections.push_back({part, material, first, count});
}

}  // namespace um::demo
