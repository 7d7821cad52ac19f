#include "bake/Footprint.h"

#include <algorithm>
#include <bit>
#include <cmath>
#include <limits>
#include <map>
#include <numeric>
#include <span>

namespace um {
namespace {

// A chart turned and scaled, with its lower left at 0; in texels.
struct Shape {
    std::vector<Vec2d> places;
    Vec2d origin, size;  // with the padding
};

Shape shapeOf(const Outline& outline, double scale, double reach) {
    Shape shape{{},
                outline.box.min() * scale - Vec2d::Constant(reach),
                outline.box.sizes() * scale + Vec2d::Constant(2 * reach)};
    shape.places.reserve(outline.places.size());
    for (const Vec2d& place : outline.places)
        shape.places.emplace_back((place - outline.box.min()) * scale + Vec2d::Constant(reach));
    return shape;
}

// By a quarter against the clock.
Shape turnedShape(Shape shape) {
    for (Vec2d& p : shape.places) p = Vec2d(shape.size.y() - p.y(), p.x());
    shape.origin = Vec2d(-shape.origin.y() - shape.size.y(), shape.origin.x());
    shape.size = Vec2d(shape.size.y(), shape.size.x());
    return shape;
}

// All cells that the edge comes nearer to than the reach: in each row those between the ends of what the reach sweeps
// along it, a disc at each end and a box between them.
void coverEdge(std::vector<CellRun>& runs, const Vec2d& a, const Vec2d& b, int width, int height, int cell,
               double reach) {
    const double length = (b - a).norm();
    const Vec2d side = length > 0 ? Vec2d(Vec2d(a.y() - b.y(), b.x() - a.x()) * (reach / length)) : Vec2d(reach, 0);
    struct Side {
        Vec2d from;
        double low, high, slope;  // from which height to which, and by how much farther along for each texel up
    };
    std::array<Side, 4> box;
    const std::array<Vec2d, 4> corners = {Vec2d(a + side), Vec2d(b + side), Vec2d(b - side), Vec2d(a - side)};
    for (std::size_t k = 0; k < box.size(); ++k) {
        const Vec2d &p = corners[k], &q = corners[(k + 1) % box.size()];
        const double slope = q.y() != p.y() ? (q.x() - p.x()) / (q.y() - p.y()) : 0;
        box[k] = {p, std::min(p.y(), q.y()), std::max(p.y(), q.y()), slope};
    }
    const int firstRow = std::max(0, int((std::min(a.y(), b.y()) - reach) / cell));
    const int lastRow = std::min(height - 1, int((std::max(a.y(), b.y()) + reach) / cell));
    for (int row = firstRow; row <= lastRow; ++row) {
        const double bottom = double(row) * cell, top = bottom + cell;
        double left = std::numeric_limits<double>::infinity(), right = -left;
        for (const Vec2d& end : {a, b}) {
            const double up = end.y() - std::clamp(end.y(), bottom, top);
            if (std::abs(up) > reach) continue;
            const double half = std::sqrt(reach * reach - up * up);
            left = std::min(left, end.x() - half);
            right = std::max(right, end.x() + half);
        }
        for (const Side& s : box) {
            const double low = std::max(s.low, bottom), high = std::min(s.high, top);
            if (low > high) continue;
            for (const double y : {low, high}) {
                left = std::min(left, s.from.x() + s.slope * (y - s.from.y()));
                right = std::max(right, s.from.x() + s.slope * (y - s.from.y()));
            }
        }
        const int first = std::max(0, int(left / cell)), last = std::min(width - 1, int(right / cell));
        // An edge at the very end of the box has nothing beyond it to cover.
        if (left <= right && first <= last) runs.push_back({row, first, last + 1});
    }
}

// Row by row, and in each as `isBefore` says: much sooner than sorting them all, for in a row there are few.
template <class Item, class IsBefore>
std::vector<Item> sortedByRow(const std::vector<Item>& items, int height, const IsBefore& isBefore) {
    std::vector<std::size_t> ends(std::size_t(height) + 1, 0);
    for (const Item& item : items) ++ends[std::size_t(item.row) + 1];
    std::partial_sum(ends.begin(), ends.end(), ends.begin());
    std::vector<Item> sorted(items.size());
    for (const Item& item : items) sorted[ends[std::size_t(item.row)]++] = item;
    for (std::size_t row = 0, begin = 0; row < std::size_t(height); begin = ends[row++])
        std::sort(sorted.begin() + std::ptrdiff_t(begin), sorted.begin() + std::ptrdiff_t(ends[row]), isBefore);
    return sorted;
}

// All cells with their middles within: going along a row, each rim changes by how many triangles one is covered.
void coverInside(std::vector<CellRun>& runs, const Outline& outline, const Shape& shape, int width, int height,
                 int cell) {
    struct Crossing {
        int row, column, layers;
    };
    std::vector<Crossing> crossings;
    for (const Outline::Rim& rim : outline.rims) {
        const Vec2d &a = shape.places[rim.from], &b = shape.places[rim.to];
        const auto rowFrom = [&](double y) { return std::clamp(int(std::ceil(y / cell - 0.5)), 0, height); };
        // What is on the left of an edge that goes down is farther along the row.
        const int layers = a.y() > b.y() ? rim.layers : -rim.layers;
        const double slope = (b.x() - a.x()) / (b.y() - a.y());
        for (int row = rowFrom(std::min(a.y(), b.y())), end = rowFrom(std::max(a.y(), b.y())); row < end; ++row) {
            const double x = a.x() + slope * ((row + 0.5) * cell - a.y());
            crossings.push_back({row, std::clamp(int(std::ceil(x / cell - 0.5)), 0, width), layers});
        }
    }
    crossings =
        sortedByRow(crossings, height, [](const Crossing& a, const Crossing& b) { return a.column < b.column; });
    int layers = 0;
    for (std::size_t i = 0; i + 1 < crossings.size(); ++i) {
        const Crossing &here = crossings[i], &next = crossings[i + 1];
        layers += here.layers;
        if (layers > 0 && next.row == here.row && next.column > here.column)
            runs.push_back({here.row, here.column, next.column});
    }
}

// Row by row; those that meet become one.
std::vector<CellRun> joined(const std::vector<CellRun>& runs, int height) {
    std::vector<CellRun> result;
    for (const CellRun& run :
         sortedByRow(runs, height, [](const CellRun&a, const CellRun&b) { return a.begin < b.begin; }))
        if (!result.empty() && result.back().row == run.row && result.back().end >= run.begin)
            result.back().end = std::max(result.back().end, run.end);
        else
            result.push_back(run);
    return result;
}

// What two rows have in common.
void findInBoth(std::vector<CellRun>& result, std::span<const CellRun> a, std::span<const CellRun> b) {
    result.clear();
    for (std::size_t i = 0, k = 0; i < a.size() && k < b.size();) {
        const int begin = std::max(a[i].begin, b[k].begin), end = std::min(a[i].end, b[k].end);
        if (begin < end) result.push_back({a[i].row, begin, end});
        ++(a[i].end < b[k].end ? i : k);
    }
}

// A block is covered wherever the chart is put if the cells of that block and of one less to the left and below are.
std::vector<CellRun> blocksOf(const std::vector<CellRun>& runs, int height) {
    constexpr int side = Footprint::blockSide;
    std::vector<std::size_t> firstOf(std::size_t(height) + 1, runs.size());
    for (std::size_t i = runs.size(); i-- > 0;) firstOf[std::size_t(runs[i].row)] = i;
    for (int y = height; y-- > 0;)
        firstOf[std::size_t(y)] = std::min(firstOf[std::size_t(y)], firstOf[std::size_t(y) + 1]);
    const auto row = [&](int y) {
        const std::size_t first = firstOf[std::size_t(y)];
        return std::span(runs).subspan(first, firstOf[std::size_t(y) + 1] - first);
    };
    std::vector<CellRun> blocks, all, fewer;
    for (int by = 1; by < height / side; ++by) {
        const auto first = row((by - 1) * side + 1);
        all.assign(first.begin(), first.end());
        for (int y = (by - 1) * side + 2; y < (by + 1) * side && !all.empty(); ++y) {
            findInBoth(fewer, all, row(y));
            all.swap(fewer);
        }
        for (const CellRun& run : all)
            if (const int begin = (run.begin + 2) / side + 1, end = run.end / side; begin < end)
                blocks.push_back({by, begin, end});
    }
    return blocks;
}

// The middle one, those in the middle of the halves, and so on.
std::vector<CellRun> farApartFirst(const std::vector<CellRun>& runs) {
    std::vector<CellRun> result;
    result.reserve(runs.size());
    for (std::size_t step = std::bit_ceil(runs.size()); step > 1; step /= 2)
        for (std::size_t i = step / 2; i < runs.size(); i += step) result.push_back(runs[i]);
    if (!runs.empty()) result.push_back(runs[0]);
    return result;
}

}  // namespace

Outline outlineOf(const FlatPatch& patch, double angle) {
    Outline outline;
    const Eigen::Matrix2d rotation = Eigen::Rotation2Dd(angle).toRotationMatrix();
    for (const Vec2d& p : patch.flat) {
        outline.places.push_back(rotation * p);
        outline.box.extend(outline.places.back());
    }
    // Charts that came with a mesh may be folded or lie with their backs up: each triangle counts as if it faced us.
    std::map<std::array<std::uint32_t, 2>, int> layers;
    for (const Triangle& t : patch.triangles) {
        const Vec2d a = patch.flat[t[1]] - patch.flat[t[0]], b = patch.flat[t[2]] - patch.flat[t[0]];
        const bool isFront = a.x() * b.y() - a.y() * b.x() > 0;
        for (std::size_t k = 0; k < 3; ++k) {
            const std::uint32_t from = t[k], to = t[(k + 1) % 3];
            layers[{std::min(from, to), std::max(from, to)}] += (from < to) == isFront ? 1 : -1;
        }
    }
    for (const auto& [edge, count] : layers)
        if (count != 0) outline.rims.push_back({edge[0], edge[1], count});
    return outline;
}

std::array<Footprint, 4> footprintsOf(const Outline& outline, double scale, int cell, double reach, unsigned turns) {
    std::array<Footprint, 4> result;
    Shape shape = shapeOf(outline, scale, reach);
    for (std::size_t quarter = 0; quarter < 2; ++quarter) {
        if (quarter > 0) shape = turnedShape(std::move(shape));
        const unsigned asked = turns >> quarter;  // as it lies by now, and by two quarters more
        if ((asked & 5) == 0) continue;
        const auto cellsAlong = [&](double length) { return std::max(1, int(std::ceil(length / cell))); };
        const int width = cellsAlong(shape.size.x()), height = cellsAlong(shape.size.y());
        std::vector<CellRun> runs;
        coverInside(runs, outline, shape, width, height, cell);
        for (const Outline::Rim& rim : outline.rims)
            coverEdge(runs, shape.places[rim.from], shape.places[rim.to], width, height, cell, reach);
        runs = joined(runs, height);
        if ((asked & 1) != 0)
            result[quarter] = {width, height, farApartFirst(runs), farApartFirst(blocksOf(runs, height)), shape.origin};
        if ((asked & 4) == 0) continue;
        std::vector<CellRun> half;
        for (auto run = runs.rbegin(); run != runs.rend(); ++run)
            half.push_back({height - 1 - run->row, width - run->end, width - run->begin});
        const Vec2d end = shape.origin + Vec2d(width, height) * cell;
        result[quarter + 2] = {width, height, farApartFirst(half), farApartFirst(blocksOf(half, height)), -end};
    }
    return result;
}

}  // namespace um
