#include "bake/Footprint.h"

#include <algorithm>
#include <cmath>
#include <cstring>
#include <limits>
#include <map>

namespace um {
namespace {

struct Cells {
    int width, height;
    std::vector<std::uint8_t> bytes;

    Cells(int across, int up)
        : width(across), height(up), bytes(static_cast<std::size_t>(across) * static_cast<std::size_t>(up), 0) {}

    std::uint8_t* row(int y) { return bytes.data() + std::ptrdiff_t(y) * width; }
    const std::uint8_t* row(int y) const { return bytes.data() + std::ptrdiff_t(y) * width; }
};

// All cells that the edge comes nearer to than the reach.
void coverEdge(Cells& cells, const Vec2d& a, const Vec2d& b, int cell, double reach) {
    const double bottom = std::min(a.y(), b.y()), top = std::max(a.y(), b.y());
    const int firstRow = std::max(0, int((bottom - reach) / cell));
    const int lastRow = std::min(cells.height - 1, int((top + reach) / cell));
    const double slope = top > bottom ? (b.x() - a.x()) / (b.y() - a.y()) : 0;
    for (int row = firstRow; row <= lastRow; ++row) {
        double left = std::min(a.x(), b.x()), right = std::max(a.x(), b.x());
        if (top > bottom) {
            // The part between these heights.
            const double from = std::clamp(row * cell - reach, bottom, top);
            const double to = std::clamp((row + 1) * cell + reach, bottom, top);
            const double x = a.x() + slope * (from - a.y()), y = a.x() + slope * (to - a.y());
            left = std::min(x, y);
            right = std::max(x, y);
        }
        const int first = std::max(0, int((left - reach) / cell));
        const int last = std::min(cells.width - 1, int((right + reach) / cell));
        std::fill(cells.row(row) + first, cells.row(row) + last + 1, std::uint8_t(1));
    }
}

// All cells with their middles within: going along a row, each rim changes by how many triangles one is covered.
void coverInside(Cells& cells, const std::vector<Vec2d>& places, const Outline& outline, int cell) {
    std::vector<int> changes(cells.bytes.size() + 1, 0);
    for (const Outline::Rim& rim : outline.rims) {
        const Vec2d &a = places[rim.from], &b = places[rim.to];
        const auto rowFrom = [&](double y) { return std::clamp(int(std::ceil(y / cell - 0.5)), 0, cells.height); };
        // What is on the left of an edge that goes down is farther along the row.
        const int layers = a.y() > b.y() ? rim.layers : -rim.layers;
        const double slope = (b.x() - a.x()) / (b.y() - a.y());
        for (int row = rowFrom(std::min(a.y(), b.y())), end = rowFrom(std::max(a.y(), b.y())); row < end; ++row) {
            const double x = a.x() + slope * ((row + 0.5) * cell - a.y());
            const int column = std::clamp(int(std::ceil(x / cell - 0.5)), 0, cells.width);
            changes[std::size_t(row) * std::size_t(cells.width) + std::size_t(column)] += layers;
        }
    }
    int layers = 0;
    for (std::size_t i = 0; i < cells.bytes.size(); ++i) {
        layers += changes[i];
        cells.bytes[i] = std::uint8_t(layers > 0);
    }
}

// A quarter of a turn against the clock.
Cells turned(const Cells& cells) {
    constexpr int few = 16;  // rows at a time, whose cells stay at hand
    Cells result(cells.height, cells.width);
    for (int first = 0; first < cells.height; first += few) {
        const int count = std::min(few, cells.height - first);
        for (int x = 0; x < cells.width; ++x) {
            const std::uint8_t* from = cells.row(first) + x;
            std::uint8_t* to = result.row(x) + (cells.height - 1 - first);
            for (int i = 0; i < count; ++i) to[-i] = from[std::ptrdiff_t(i) * cells.width];
        }
    }
    return result;
}

std::vector<CellRun> runsOf(const Cells& cells) {
    std::vector<CellRun> runs;
    for (int y = 0; y < cells.height; ++y) {
        const std::uint8_t *row = cells.row(y), *end = row + cells.width;
        const auto next = [&](const std::uint8_t* x, int value) {
            const void* found = x == end ? nullptr : std::memchr(x, value, std::size_t(end - x));
            return found != nullptr ? static_cast<const std::uint8_t*>(found) : end;
        };
        for (const std::uint8_t* x = next(row, 1); x != end;) {
            const std::uint8_t* stop = next(x, 0);
            runs.push_back({y, int(x - row), int(stop - row)});
            x = next(stop, 1);
        }
    }
    std::stable_sort(runs.begin(), runs.end(),
                     [](const CellRun& a, const CellRun& b) { return a.end - a.begin > b.end - b.begin; });
    return runs;
}

// A block is covered wherever the chart is put if the cells of that block and of one less to the left and below are.
Cells blocksOf(const Cells& cells) {
    constexpr int side = Footprint::blockSide;
    Cells blocks(cells.width / side, cells.height / side);
    std::vector<std::uint8_t> columns(static_cast<std::size_t>(cells.width));
    for (int by = 1; by < blocks.height; ++by) {
        std::fill(columns.begin(), columns.end(), std::uint8_t(1));
        for (int y = (by - 1) * side + 1; y < (by + 1) * side; ++y) {
            const std::uint8_t* row = cells.row(y);
            for (std::size_t x = 0; x < columns.size(); ++x) columns[x] &= row[x];
        }
        for (int bx = 1; bx < blocks.width; ++bx) {
            const auto begin = columns.begin() + (bx - 1) * side + 1;
            blocks.row(by)[bx] = std::uint8_t(std::count(begin, begin + 2 * side - 1, 1) == 2 * side - 1);
        }
    }
    return blocks;
}

}  // namespace

Outline outlineOf(const Patch& patch, double angle) {
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

std::array<Footprint, 4> footprintsOf(const Outline& outline, double scale, int cell, double reach) {
    Vec2d origin = outline.box.min() * scale - Vec2d::Constant(reach);
    const Vec2d size = outline.box.sizes() * scale + Vec2d::Constant(2 * reach);
    const auto cellsAlong = [&](double length) { return std::max(1, int(std::ceil(length / cell))); };
    Cells cells(cellsAlong(size.x()), cellsAlong(size.y()));
    std::vector<Vec2d> places;
    places.reserve(outline.places.size());
    for (const Vec2d& place : outline.places)
        places.emplace_back((place - outline.box.min()) * scale + Vec2d::Constant(reach));
    coverInside(cells, places, outline, cell);
    for (const Outline::Rim& rim : outline.rims) coverEdge(cells, places[rim.from], places[rim.to], cell, reach);
    std::array<Footprint, 4> result;
    for (std::size_t quarter = 0; quarter < 2; ++quarter) {
        const Vec2d end = origin + Vec2d(cells.width, cells.height) * cell;
        result[quarter] = {cells.width, cells.height, runsOf(cells), runsOf(blocksOf(cells)), origin};
        Cells half = cells;
        std::reverse(half.bytes.begin(), half.bytes.end());
        result[quarter + 2] = {half.width, half.height, runsOf(half), runsOf(blocksOf(half)), -end};
        if (quarter > 0) break;
        cells = turned(cells);
        origin = Vec2d(-end.y(), origin.x());
    }
    return result;
}

}  // namespace um
