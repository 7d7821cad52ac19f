#include "bake/Pack.h"

#include "bake/Hull.h"
#include "base/Error.h"
#include "base/Parallel.h"

#include <atomic>
#include <bit>
#include <cmath>
#include <limits>
#include <numeric>
#include <optional>

namespace um {
namespace {

using Word = std::uint64_t;
constexpr int wordBits = 64;

// A chart's cells with the padding around them, as runs in each row.
struct Shape {
    struct Run {
        int row, begin, end;
    };
    int width = 0, height = 0;     // in cells
    std::vector<Run> runs;         // the longest first: those meet what is there soonest
    Vec2d origin = Vec2d::Zero();  // of its lower left cell, in texels of the turned and scaled chart
};

struct Turned {
    double angle = 0;
    std::vector<Vec2d> places;  // of the patch's vertices, in units
    Eigen::AlignedBox2d box;
};

Turned turned(const Patch& patch, double angle) {
    Turned result;
    result.angle = angle;
    const Eigen::Matrix2d rotation = Eigen::Rotation2Dd(angle).toRotationMatrix();
    for (const Vec2d& p : patch.flat) {
        result.places.push_back(rotation * p);
        result.box.extend(result.places.back());
    }
    return result;
}

// The angle that brings the chart into the smallest upright box, wider than tall. That box has a side along one of the
// hull (Freeman & Shapira 1975, Communications of the ACM 18(7)).
double uprightAngle(const Patch& patch) {
    const std::vector<Vec2d> hull = convexHull(patch.flat);
    double best = 0, least = std::numeric_limits<double>::infinity();
    for (std::size_t i = 0; i < hull.size(); ++i) {
        const Vec2d side = hull[(i + 1) % hull.size()] - hull[i];
        const double angle = -std::atan2(side.y(), side.x());
        Eigen::AlignedBox2d box;
        const Eigen::Matrix2d rotation = Eigen::Rotation2Dd(angle).toRotationMatrix();
        for (const Vec2d& p : hull) box.extend(rotation * p);
        if (box.volume() < least * (1 - 1e-9)) {
            least = box.volume();
            best = box.sizes().x() >= box.sizes().y() ? angle : angle + pi / 2;
        }
    }
    return best;
}

// All cells that the chart comes nearer to than half the padding.
Shape shapeOf(const Turned& chart, const std::vector<Triangle>& triangles, double scale, int cell, double padding) {
    const double reach = padding / 2;
    Shape shape;
    const Vec2d low = chart.box.min() * scale - Vec2d::Constant(reach);
    const Vec2d size = chart.box.sizes() * scale + Vec2d::Constant(2 * reach);
    shape.width = std::max(1, int(std::ceil(size.x() / cell)));
    shape.height = std::max(1, int(std::ceil(size.y() / cell)));
    shape.origin = low;
    std::vector<std::uint8_t> cells(std::size_t(shape.width) * std::size_t(shape.height), 0);
    for (const Triangle& t : triangles) {
        std::array<Vec2d, 3> p;
        for (std::size_t k = 0; k < 3; ++k) p[k] = chart.places[t[k]] * scale - low;
        const Vec2d bottom = p[0].cwiseMin(p[1]).cwiseMin(p[2]) - Vec2d::Constant(reach);
        const Vec2d top = p[0].cwiseMax(p[1]).cwiseMax(p[2]) + Vec2d::Constant(reach);
        const int firstRow = std::max(0, int(bottom.y() / cell)),
                  lastRow = std::min(shape.height - 1, int(top.y() / cell));
        for (int row = firstRow; row <= lastRow; ++row) {
            // The part of the triangle between these heights, which is wide at its ends or at corners within.
            const double from = row * cell - reach, to = (row + 1) * cell + reach;
            double left = std::numeric_limits<double>::infinity(), right = -left;
            for (std::size_t k = 0; k < 3; ++k) {
                const Vec2d &a = p[k], &b = p[(k + 1) % 3];
                if (a.y() >= from && a.y() <= to) {
                    left = std::min(left, a.x());
                    right = std::max(right, a.x());
                }
                for (const double y : {from, to}) {
                    if ((a.y() < y) == (b.y() < y)) continue;
                    const double x = a.x() + (b.x() - a.x()) * (y - a.y()) / (b.y() - a.y());
                    left = std::min(left, x);
                    right = std::max(right, x);
                }
            }
            if (left > right) continue;
            const int first = std::max(0, int((left - reach) / cell));
            const int last = std::min(shape.width - 1, int((right + reach) / cell));
            std::uint8_t* line = cells.data() + std::size_t(row) * std::size_t(shape.width);
            std::fill(line + first, line + last + 1, std::uint8_t(1));
        }
    }
    for (int row = 0; row < shape.height; ++row) {
        const std::uint8_t* line = cells.data() + std::size_t(row) * std::size_t(shape.width);
        for (int x = 0; x < shape.width;) {
            if (line[x] == 0) {
                ++x;
                continue;
            }
            const int begin = x;
            while (x < shape.width && line[x] != 0) ++x;
            shape.runs.push_back({row, begin, x});
        }
    }
    std::stable_sort(shape.runs.begin(), shape.runs.end(),
                     [](const Shape::Run& a, const Shape::Run& b) { return a.end - a.begin > b.end - b.begin; });
    return shape;
}

// A sheet in cells. For each row it knows from which cells on the next 1, 2, 4, 8 ... hold anything, so that a run of
// any length is asked about at all places of a row with two lookups a word.
class Sheet {
public:
    explicit Sheet(int cells)
        : m_cells(cells), m_words((cells + wordBits - 1) / wordBits), m_levels(std::bit_width(unsigned(cells))) {
        m_bits.assign((std::size_t(m_levels) * std::size_t(cells) + 1) * std::size_t(m_words + 1), 0);
    }

    struct Spot {
        int x = 0, y = 0;
    };

    // The lowest place where the shape fits, and of those the one farthest left, below `top`.
    std::optional<Spot> find(const Shape& shape, int top) const {
        if (shape.width > m_cells || shape.height > m_cells) return std::nullopt;
        std::vector<Word> blocked(static_cast<std::size_t>(m_words));
        const int places = m_cells - shape.width + 1;
        for (int y = 0; y + shape.height <= std::min(m_cells, top); ++y) {
            for (int w = 0; w < m_words; ++w) {
                const int left = places - w * wordBits;
                blocked[std::size_t(w)] = left >= wordBits ? 0 : left <= 0 ? ~Word(0) : ~Word(0) << left;
            }
            bool isFull = false;
            for (const Shape::Run& run : shape.runs) {
                const int level = std::bit_width(unsigned(run.end - run.begin)) - 1;
                const Word free = block(rowAt(level, y + run.row), run.begin, run.end - (1 << level), blocked.data());
                isFull = free == 0;
                if (isFull) break;
            }
            if (isFull) continue;
            for (int w = 0; w < m_words; ++w)
                if (const Word free = ~blocked[std::size_t(w)]; free != 0)
                    return Spot{w * wordBits + std::countr_zero(free), y};
        }
        return std::nullopt;
    }

    void put(const Shape& shape, const Spot& spot) {
        int lowest = m_cells, highest = -1;
        for (const Shape::Run& run : shape.runs) {
            Word* row = rowAt(0, spot.y + run.row);
            for (int x = spot.x + run.begin; x < spot.x + run.end; ++x) row[x / wordBits] |= Word(1) << (x % wordBits);
            lowest = std::min(lowest, spot.y + run.row);
            highest = std::max(highest, spot.y + run.row);
        }
        for (int y = lowest; y <= highest; ++y)
            for (int level = 1; level < m_levels; ++level) {
                const Word* half = rowAt(level - 1, y);
                Word* row = rowAt(level, y);
                for (int w = 0; w < m_words; ++w) row[w] = half[w] | wordFrom(half, w * wordBits + (1 << (level - 1)));
            }
    }

private:
    const Word* rowAt(int level, int y) const {
        return m_bits.data() + (std::size_t(level) * std::size_t(m_cells) + std::size_t(y)) * std::size_t(m_words + 1);
    }
    Word* rowAt(int level, int y) { return const_cast<Word*>(std::as_const(*this).rowAt(level, y)); }

    // Blocks the places from which either of two cells farther on hold anything; returns a word that is 0 if all are
    // blocked by now. Without a branch, so that several words are done at once. What is read beyond a row does not
    // matter: nothing is put there.
    Word block(const Word* row, int first, int second, Word* __restrict blocked) const {
        const Word *one = row + first / wordBits, *two = row + second / wordBits;
        const int shiftOne = first % wordBits, shiftTwo = second % wordBits;
        Word free = 0;
        for (int w = 0, words = m_words; w < words; ++w) {
            blocked[w] |= one[w] >> shiftOne | one[w + 1] << 1 << (wordBits - 1 - shiftOne) | two[w] >> shiftTwo |
                          two[w + 1] << 1 << (wordBits - 1 - shiftTwo);
            free |= ~blocked[w];
        }
        return free;
    }

    // 64 cells from any cell on; beyond the row there is nothing.
    Word wordFrom(const Word* row, int cell) const {
        const int w = cell / wordBits, shift = cell % wordBits;
        if (w >= m_words) return 0;
        return shift == 0 ? row[w] : row[w] >> shift | row[w + 1] << (wordBits - shift);
    }

    int m_cells, m_words, m_levels;
    std::vector<Word> m_bits;  // a word more in each row, always empty, and a row more at the end
};

class Packer {
public:
    Packer(const std::vector<const Patch*>& charts, const std::vector<double>& weights, const PackSettings& settings)
        : m_charts(charts), m_weights(weights), m_settings(settings), m_cell(std::max(1, settings.size / 512)) {
        for (std::size_t i = 0; i < charts.size(); ++i)
            m_areas.push_back(stretchOf(*charts[i]).flatArea * weights[i] * weights[i]);
        m_area = std::accumulate(m_areas.begin(), m_areas.end(), 0.0);
        m_turned.resize(charts.size());
        parallelFor(
            charts.size(),
            [&](std::size_t i) {
                constexpr int turns = 4;  // more of them hardly help: another order does
                const double upright = uprightAngle(*charts[i]);
                for (int turn = 0; turn < turns; ++turn)
                    m_turned[i].push_back(turned(*charts[i], upright + 2 * pi * turn / turns));
            },
            1);
    }

    double area() const { return m_area; }

    // The first of some orders in which they fit.
    std::optional<Packing> tryScale(double texelsPerUnit, std::size_t tries, const Progress& progress) const {
        const std::vector<std::vector<Shape>> shapes = shapesAt(texelsPerUnit, progress);
        std::vector<std::optional<Packing>> packings(tries);
        std::atomic<std::size_t> first = tries;
        parallelFor(
            tries,
            [&](std::size_t i) {
                if (i > first) return;
                packings[i] = put(shapes, orderOf(i), texelsPerUnit, progress);
                if (!packings[i]) return;
                std::size_t best = first;
                while (i < best && !first.compare_exchange_weak(best, i)) {
                }
            },
            1);
        for (auto& packing : packings)
            if (packing) return std::move(packing);
        return std::nullopt;
    }

private:
    std::vector<std::vector<Shape>> shapesAt(double texelsPerUnit, const Progress& progress) const {
        std::vector<std::vector<Shape>> shapes(m_charts.size());
        parallelFor(
            m_charts.size(),
            [&](std::size_t i) {
                progress.check();
                for (const Turned& turned : m_turned[i])
                    shapes[i].push_back(shapeOf(turned, m_charts[i]->triangles, texelsPerUnit * m_weights[i], m_cell,
                                                m_settings.padding));
            },
            1);
        return shapes;
    }

    // The large ones first; other tries take those of nearly one size in other orders.
    std::vector<std::size_t> orderOf(std::size_t number) const {
        constexpr double shuffle = 0.5;
        std::vector<double> keys;
        for (std::size_t i = 0; i < m_charts.size(); ++i) {
            const Vec2d sizes = m_turned[i][0].box.sizes();
            const double random = double(mixBits(number * 7919 + i + 1) >> 11) * 0x1p-53;
            keys.push_back(m_weights[i] * (sizes.x() + sizes.y()) * (number == 0 ? 1 : 1 + shuffle * (random - 0.5)));
        }
        std::vector<std::size_t> order(m_charts.size());
        std::iota(order.begin(), order.end(), std::size_t(0));
        std::stable_sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) { return keys[a] > keys[b]; });
        return order;
    }

    std::optional<Packing> put(const std::vector<std::vector<Shape>>& shapes, const std::vector<std::size_t>& order,
                               double texelsPerUnit, const Progress& progress) const {
        Packing packing;
        packing.texelsPerUnit = texelsPerUnit;
        packing.charts.resize(m_charts.size());
        std::vector<Sheet> sheets;
        const int cells = m_settings.size / m_cell;
        for (const std::size_t i : order) {
            progress.check();
            bool isPut = false;
            for (int sheet = 0; sheet < m_settings.sheets && !isPut; ++sheet) {
                if (sheet == int(sheets.size())) sheets.emplace_back(cells);
                Sheet& there = sheets[std::size_t(sheet)];
                std::optional<Sheet::Spot> spot;
                std::size_t best = 0;
                const auto top = [&](const Sheet::Spot& s, std::size_t turn) {
                    return std::pair(s.y + shapes[i][turn].height, s.x + shapes[i][turn].width);
                };
                for (std::size_t turn = 0; turn < shapes[i].size(); ++turn) {
                    const auto found = there.find(shapes[i][turn], spot ? top(*spot, best).first : cells);
                    if (!found || (spot && top(*spot, best) <= top(*found, turn))) continue;
                    spot = found;
                    best = turn;
                }
                if (!spot) continue;
                there.put(shapes[i][best], *spot);
                const Vec2d corner = Vec2d(spot->x, spot->y) * m_cell;
                packing.charts[i] = {sheet, m_turned[i][best].angle, texelsPerUnit * m_weights[i],
                                     corner - shapes[i][best].origin};
                isPut = true;
            }
            if (!isPut) return std::nullopt;
        }
        packing.sheets = int(sheets.size());
        packing.fill =
            m_area * texelsPerUnit * texelsPerUnit / (double(packing.sheets) * m_settings.size * m_settings.size);
        return packing;
    }

    const std::vector<const Patch*>& m_charts;
    const std::vector<double>& m_weights;
    const PackSettings m_settings;
    const int m_cell;
    double m_area = 0;
    std::vector<double> m_areas;                // of each chart, weighted
    std::vector<std::vector<Turned>> m_turned;  // of each chart, all the ways in which it may lie
};

}  // namespace

Packing packCharts(const std::vector<const Patch*>& charts, const std::vector<double>& weights,
                   const PackSettings& settings, const Progress& progress) {
    if (charts.empty()) return {};
    const Packer packer(charts, weights, settings);
    const std::string sheet = std::to_string(settings.size) + " texels";
    if (settings.texelsPerUnit > 0) {
        if (auto packing = packer.tryScale(settings.texelsPerUnit, 4, progress)) return *packing;
        throw InputError("The charts do not fit on " + std::to_string(settings.sheets) + " sheet(s) of " + sheet +
                         " at this density; ask for fewer texels, larger or more sheets.");
    }
    const double full = std::sqrt(double(settings.sheets) * settings.size * settings.size / packer.area());
    double tooLarge = full * 0.96, scale = full * 0.8;
    std::optional<Packing> best;
    for (; scale > 1e-3 * full && !best; scale *= 0.9) {
        best = packer.tryScale(scale, 1, progress);
        if (!best) tooLarge = scale;
    }
    if (!best)
        throw InputError("There are " + std::to_string(charts.size()) + " charts, too many for " +
                         std::to_string(settings.sheets) + " sheet(s) of " + sheet + "; take larger ones.");
    progress.at(0.3);
    while (tooLarge > 1.01 * best->texelsPerUnit) {
        const double third = (tooLarge - best->texelsPerUnit) / 3;
        const std::array<double, 2> scales = {best->texelsPerUnit + third, tooLarge - third};
        std::array<std::optional<Packing>, 2> packings;
        parallelFor(
            2, [&](std::size_t i) { packings[i] = packer.tryScale(scales[i], 1, progress); }, 1);
        if (!packings[1]) tooLarge = packings[0] ? scales[1] : scales[0];
        if (packings[1] || packings[0]) best = std::move(packings[packings[1] ? 1 : 0]);
    }
    progress.at(0.6);
    // In other orders a little more often fits; it takes no longer than the charts may be expected to have taken.
    constexpr double more = 1.007;
    std::size_t triangles = 0;
    for (const Patch* chart : charts) triangles += chart->triangles.size();
    const std::size_t tries = std::clamp<std::size_t>(std::min(6000 / charts.size(), triangles / 250), 8, 96);
    while (auto packing = packer.tryScale(best->texelsPerUnit * more, tries, progress)) best = std::move(packing);
    progress.at(1);
    return *best;
}

}  // namespace um
