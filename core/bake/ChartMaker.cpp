#include "bake/ChartMaker.h"

#include "bake/Hull.h"

#include <algorithm>
#include <cmath>
#include <iterator>
#include <limits>
#include <numeric>

namespace um {
namespace {

// Of a sheet, the share that charts cover.
constexpr double usualFill = 0.8;

// How far apart the two places of a flat piece are that are farthest from each other.
double lengthOf(const FlatPatch& patch) {
    const std::vector<Vec2d> hull = convexHull(patch.flat);
    double most = 0;
    for (std::size_t i = 0; i < hull.size(); ++i)
        for (std::size_t k = 0; k < i; ++k) most = std::max(most, (hull[i] - hull[k]).squaredNorm());
    return std::sqrt(most);
}

}  // namespace

ChartMaker::ChartMaker(const Mesh& mesh, const ChartSettings& settings)
    : m_mesh(mesh), m_settings(settings), m_around(findNeighbours(mesh, settings)) {
    for (const Vec3d& normal : m_around.areaNormals) m_area += normal.norm();
    m_sheetArea = m_area / settings.sheets;
}

std::optional<Chart> ChartMaker::flat(const std::vector<TriangleId>& triangles,
                                      const std::vector<std::uint64_t>& cuts) const {
    // Little ones may be stretched more: few charts waste less of the sheet than even ones.
    constexpr double smallShare = 0.01, more = 0.15;
    const double area = areaOf(triangles);
    const double most = m_settings.mostStretch + more * std::max(0.0, 1 - area / (smallShare * m_area));
    Chart chart{triangles, cuts, patchOf(triangles, cuts)};
    // A single triangle lies flat whatever its stretch is reckoned to be.
    constexpr double any = std::numeric_limits<double>::infinity();
    if (!layFlat(chart.patch, 1 + (most - 1) / 2, triangles.size() > 1 ? most : any)) return std::nullopt;
    return chart;
}

std::optional<Chart> ChartMaker::handy(const std::vector<TriangleId>& triangles, const std::vector<std::uint64_t>& cuts,
                                       double hullBefore) const {
    auto chart = flat(triangles, cuts);
    if (chart && !isHandy(*chart, hullBefore)) chart.reset();
    return chart;
}

bool ChartMaker::isLarge(const Chart& chart) const {
    return areaOf(chart.triangles) > m_sheetArea / 3;
}

bool ChartMaker::fitTogether(const Chart& a, const Chart& b) const {
    const UprightBox one = smallestBox(a.patch.flat), two = smallestBox(b.patch.flat);
    const double side = std::max({one.width, two.width, one.height + two.height});
    return side * side <= m_sheetArea / usualFill;
}

std::size_t ChartMaker::sheets() const {
    return std::size_t(std::ceil(m_settings.sheets));
}

std::vector<std::uint64_t> ChartMaker::cutsWithin(const std::vector<std::uint64_t>& cuts,
                                                  const std::vector<TriangleId>& triangles) const {
    const auto isWithin = [&](TriangleId t) { return placeAmong(triangles, t).has_value(); };
    std::vector<std::uint64_t> within;
    std::copy_if(cuts.begin(), cuts.end(), std::back_inserter(within), [&](std::uint64_t edge) {
        return isWithin(TriangleId(edge / 3)) && isWithin(m_around.beyond[edge / 3][edge % 3]);
    });
    return within;
}

Chart ChartMaker::single(TriangleId triangle) const {
    if (auto chart = flat({triangle}, {})) return std::move(*chart);
    Chart chart{{triangle}, {}, patchOf({triangle}, {})};
    const double longest = *std::max_element(m_around.lengths[triangle].begin(), m_around.lengths[triangle].end());
    chart.patch.flat = {Vec2d(0, 0), Vec2d(longest, 0), Vec2d(longest / 2, longest * 1e-3)};
    chart.patch.flat.resize(chart.patch.positions.size(), Vec2d::Zero());
    return chart;
}

// Corners come together at a vertex only if one can go from one to the other within the chart, so that pieces that
// merely touch at a point do not hang on it.
FlatPatch ChartMaker::patchOf(const std::vector<TriangleId>& triangles, const std::vector<std::uint64_t>& cuts) const {
    std::vector<std::uint32_t> parent(3 * triangles.size());
    std::iota(parent.begin(), parent.end(), 0u);
    const auto find = [&](std::uint32_t i) {
        while (parent[i] != i) i = parent[i] = parent[parent[i]];
        return i;
    };
    for (std::uint32_t i = 0; i < triangles.size(); ++i) {
        const Triangle& here = m_mesh.triangles[triangles[i]];
        for (std::size_t k = 0; k < 3; ++k) {
            const TriangleId other = m_around.beyond[triangles[i]][k];
            const std::optional<std::uint32_t> place = placeAmong(triangles, other);
            if (!place || *place < i) continue;
            if (std::binary_search(cuts.begin(), cuts.end(), edgeOf(triangles[i], k))) continue;
            const Triangle& there = m_mesh.triangles[other];
            for (const std::size_t corner : {k, (k + 1) % 3}) {
                const auto at = std::find(there.begin(), there.end(), here[corner]) - there.begin();
                const std::uint32_t a = find(3 * i + std::uint32_t(corner));
                const std::uint32_t b = find(3 * *place + std::uint32_t(at));
                parent[std::max(a, b)] = std::min(a, b);
            }
        }
    }
    constexpr std::uint32_t unnumbered = ~std::uint32_t(0);
    FlatPatch patch;
    std::vector<std::uint32_t> number(parent.size(), unnumbered);
    for (std::uint32_t i = 0; i < triangles.size(); ++i) {
        Triangle corners{};
        for (std::uint32_t k = 0; k < 3; ++k) {
            std::uint32_t& own = number[find(3 * i + k)];
            if (own == unnumbered) {
                own = std::uint32_t(patch.positions.size());
                patch.positions.push_back(m_mesh.positions[m_mesh.triangles[triangles[i]][k]].cast<double>());
            }
            corners[k] = own;
        }
        patch.triangles.push_back(corners);
    }
    return patch;
}

double ChartMaker::areaOf(const std::vector<TriangleId>& triangles) const {
    double area = 0;
    for (const TriangleId t : triangles) area += m_around.areaNormals[t].norm();
    return area;
}

// So small that it finds a place anywhere.
bool ChartMaker::isSmall(double area) const {
    constexpr double share = 0.001;
    return area < share * m_area;
}

// One that is as wide as it is long is only large.
bool ChartMaker::isTooLong(const Chart& chart, double area) const {
    constexpr double longish = 3;  // square of the length, in areas: a square has 2
    const double length = lengthOf(chart.patch);
    return length > m_settings.mostLength * std::sqrt(m_sheetArea) && length * length > longish * area;
}

bool ChartMaker::hasRoom(const Chart& chart) const {
    if (m_settings.mostReach > 0 && lengthOf(chart.patch) > m_settings.mostReach) return false;
    const double area = areaOf(chart.triangles);
    return isSmall(area) || !isTooLong(chart, area);
}

double ChartMaker::roomOf(const Chart& chart) const {
    const std::vector<Vec2d> hull = convexHull(chart.patch.flat);
    const double side = std::sqrt(m_sheetArea / usualFill);
    return polygonArea(hull) + m_settings.padding / 2 * side * polygonLength(hull);
}

bool ChartMaker::isHandy(const Chart& chart, double hullBefore) const {
    constexpr double asGoodAsABox = 0.92;
    if (!hasRoom(chart)) return false;
    const double area = areaOf(chart.triangles);
    if (isSmall(area)) return true;
    const double flatArea = stretchOf(chart.patch).flatArea, hull = hullArea(chart);
    if (area > m_settings.mostShare * m_sheetArea) return flatArea >= asGoodAsABox * hull;
    return flatArea >= m_settings.leastSolid * hull || hull <= hullBefore;
}

double hullArea(const Chart& chart) {
    return polygonArea(convexHull(chart.patch.flat));
}

}  // namespace um
