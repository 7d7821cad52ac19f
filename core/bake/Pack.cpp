#include "bake/Pack.h"

#include "bake/Hull.h"
#include "bake/SheetCells.h"
#include "base/Error.h"
#include "base/Parallel.h"
#include "base/Units.h"

#include <algorithm>
#include <bit>
#include <cmath>
#include <functional>
#include <limits>
#include <memory>
#include <mutex>
#include <numeric>
#include <optional>
#include <unordered_map>

namespace um {
namespace {

constexpr std::size_t quarters = 4;

// The quarters, a bit for each, by which the chart may be turned without looking as it nearly does by fewer: a disc has
// one, a strip two. What finds no place one way hardly finds one where it looks the same.
std::uint8_t distinctQuarters(const Outline& outline) {
    constexpr int cells = 48;  // along the longer side: with the padding a row fits into a word
    constexpr double alike = 0.04;
    const double scale = cells / std::max(outline.box.sizes().maxCoeff(), 1e-30);
    const std::array<Footprint, quarters> footprints = footprintsOf(outline, scale, 1, 0.5);
    std::array<std::array<std::uint64_t, 64>, quarters> rows{};
    double area = 0;
    for (std::size_t quarter = 0; quarter < quarters; ++quarter)
        for (const CellRun& run : footprints[quarter].runs) {
            rows[quarter][std::size_t(run.row)] |= ~std::uint64_t(0) >> (64 - (run.end - run.begin)) << run.begin;
            area += double(run.end - run.begin) / quarters;
        }
    std::uint8_t distinct = 0;
    for (std::size_t quarter = 0; quarter < quarters; ++quarter) {
        const auto looksLike = [&](std::size_t before) {
            int different = 0;
            for (std::size_t y = 0; y < rows[quarter].size(); ++y)
                different += std::popcount(rows[quarter][y] ^ rows[before][y]);
            return different <= alike * area;
        };
        bool isNew = true;
        for (std::size_t before = 0; before < quarter && isNew; ++before) isNew = !looksLike(before);
        if (isNew) distinct |= std::uint8_t(1 << quarter);
    }
    return distinct;
}

// The charts as they are to be laid out, upright.
struct Charts {
    std::vector<double> weights, angles, areas;  // areas are weighted
    std::vector<Outline> outlines;
    std::vector<std::uint8_t> turns;  // a bit for each quarter
    double area = 0;                  // of all
    double length = 0;                // of the longest, weighted
    std::vector<std::size_t> large;   // those whose places decide on those of others

    static constexpr double largeShare = 0.01;
    bool isLarge(std::size_t i) const { return areas[i] > largeShare * area; }
};

Charts chartsOf(const std::vector<const FlatPatch*>& patches, const std::vector<double>& weights) {
    // There are many little ones, and what is lost by turning them less is little.
    constexpr double smallShare = 0.002, tinyShare = 0.001;
    constexpr std::uint8_t smallTurns = 0b11, tinyTurns = 0b1;
    const std::size_t count = patches.size();
    Charts charts;
    charts.weights = weights;
    charts.angles.resize(count);
    charts.areas.resize(count);
    charts.outlines.resize(count);
    charts.turns.resize(count);
    parallelFor(
        count,
        [&](std::size_t i) {
            charts.angles[i] = smallestBox(patches[i]->flat).angle;
            charts.outlines[i] = outlineOf(*patches[i], charts.angles[i]);
            charts.areas[i] = stretchOf(*patches[i]).flatArea * weights[i] * weights[i];
        },
        1);
    // All may be points.
    charts.area = std::max(std::accumulate(charts.areas.begin(), charts.areas.end(), 0.0), 1e-60);
    parallelFor(
        count,
        [&](std::size_t i) {
            const double share = charts.areas[i] / charts.area;
            charts.turns[i] = share < tinyShare ? tinyTurns : distinctQuarters(charts.outlines[i]);
            if (share < smallShare) charts.turns[i] &= smallTurns;
        },
        1);
    for (std::size_t i = 0; i < count; ++i) {
        charts.length = std::max(charts.length, charts.outlines[i].box.sizes().maxCoeff() * weights[i]);
        if (charts.isLarge(i)) charts.large.push_back(i);
    }
    return charts;
}

// How much larger than the others a chart may be laid out: the size that is due, smaller ones, and larger ones.
struct Sizes {
    static constexpr std::size_t due = 2, count = 5;
    std::array<double, count> factors;

    explicit Sizes(double leeway) : factors{1 - leeway, 1 - leeway / 2, 1, 1 + leeway / 2, 1 + leeway} {}
    bool areOne() const { return factors[0] == factors[due]; }
    double areaFactor(std::size_t size) const { return factors[size] * factors[size]; }
};

// Of all charts at a scale, in all sizes and turns; made when they are first asked for, by any thread.
class Footprints {
public:
    Footprints(const Charts& charts, const Sizes& sizes, double texelsPerUnit, int cell, double reach)
        : m_charts(charts),
          m_sizes(sizes),
          m_scale(texelsPerUnit),
          m_cell(cell),
          m_reach(reach),
          m_all(Sizes::count * charts.areas.size()),
          m_isMade(std::make_unique<std::once_flag[]>(m_all.size())) {}

    double texelsPerUnit() const { return m_scale; }

    const std::array<Footprint, quarters>& of(std::size_t chart, std::size_t size) const {
        const std::size_t i = Sizes::count * chart + size;
        std::call_once(m_isMade[i], [&] {
            const double scale = m_scale * m_charts.weights[chart] * m_sizes.factors[size];
            m_all[i] = footprintsOf(m_charts.outlines[chart], scale, m_cell, m_reach, m_charts.turns[chart]);
        });
        return m_all[i];
    }

    // On all cores what will be asked for; none where the size is beyond those that there are.
    void make(const std::function<std::size_t(std::size_t chart)>& sizeOf, const Progress& progress) const {
        parallelFor(
            m_charts.areas.size(),
            [&](std::size_t chart) {
                progress.check();
                if (const std::size_t size = sizeOf(chart); size < Sizes::count) of(chart, size);
            },
            1);
    }

private:
    const Charts& m_charts;
    const Sizes& m_sizes;
    const double m_scale;
    const int m_cell;
    const double m_reach;
    mutable std::vector<std::array<Footprint, quarters>> m_all;
    std::unique_ptr<std::once_flag[]> m_isMade;
};

// In which order charts are laid out, and turned by which quarters.
struct PackPlan {
    std::vector<double> ranks;        // the highest first
    std::vector<std::uint8_t> turns;  // a bit for each quarter
};

struct ChartPlace {
    int sheet = -1;  // none
    std::size_t quarter = 0, size = Sizes::due;
    SheetCells::Spot spot;
};

struct Layout {
    std::shared_ptr<const Footprints> footprints;
    std::vector<ChartPlace> places;
    int sheets = 0;
    double filled = 0;                 // area in square units, at the charts' sizes
    std::vector<std::size_t> missing;  // the charts for which there was no room
    double missingArea = 0;
    double effort = 0;  // what it took, where all charts but the large ones, laid out once, take 1

    bool isWhole() const { return missing.empty(); }
    double texelsPerUnit() const { return footprints->texelsPerUnit(); }
    double texels() const { return filled * texelsPerUnit() * texelsPerUnit(); }
};

// A sheet that is filled, and from which row on there may be room for a footprint: like ones come after one another
// where there are thousands of cards or bolts, and where one found no room the next will not.
class FillingSheet {
public:
    explicit FillingSheet(int side) : m_cells(side) {}

    std::optional<SheetCells::Spot> find(const Footprint& footprint, int top) {
        int& from = m_roomFrom[&footprint];
        const auto spot = m_cells.find(footprint, top, from);
        from = spot ? spot->y : std::max(from, top - footprint.height + 1);
        return spot;
    }

    void put(const Footprint& footprint, const SheetCells::Spot& spot) { m_cells.put(footprint, spot); }

private:
    struct Hash {
        std::size_t operator()(const Footprint* footprint) const {
            std::size_t hash = 0;
            for (const CellRun& run : footprint->runs)
                hash = mixBits(hash ^ mixBits(std::uint64_t(run.row) << 32 ^ std::uint64_t(run.begin) << 16 ^
                                              std::uint64_t(run.end)));
            return hash;
        }
    };
    struct CoverTheSame {
        bool operator()(const Footprint* x, const Footprint* y) const { return x->runs == y->runs; }
    };

    SheetCells m_cells;
    std::unordered_map<const Footprint*, int, Hash, CoverTheSame> m_roomFrom;
};

class Packer {
public:
    Packer(const Charts& charts, const PackSettings& settings)
        : m_charts(charts),
          m_settings(settings),
          m_cell(std::max(1, settings.size / 1024)),
          m_sizes(settings.texelsPerUnit > 0 ? 0 : settings.leeway) {}

    // The large ones first, however they fit.
    PackPlan plainPlan() const {
        PackPlan plan{{}, m_charts.turns};
        for (std::size_t i = 0; i < m_charts.areas.size(); ++i)
            plan.ranks.push_back(m_charts.weights[i] * m_charts.outlines[i].box.sizes().sum());
        return plan;
    }

    std::shared_ptr<const Footprints> footprints(double texelsPerUnit) const {
        return std::make_shared<const Footprints>(m_charts, m_sizes, texelsPerUnit, m_cell, m_settings.padding / 2.0);
    }

    // Each in turn goes where it ends lowest. Gives up as soon as a large one or more than `mostMissing` is missing.
    Layout lay(const std::shared_ptr<const Footprints>& footprints, const PackPlan& plan, double mostMissing,
               const Progress& progress) const {
        constexpr double forLargeOnes = 0.125;
        Layout layout;
        layout.footprints = footprints;
        layout.effort = forLargeOnes;
        layout.places.resize(plan.ranks.size());
        std::vector<std::size_t> order(plan.ranks.size());
        std::iota(order.begin(), order.end(), std::size_t(0));
        std::stable_sort(order.begin(), order.end(),
                         [&](std::size_t a, std::size_t b) { return plan.ranks[a] > plan.ranks[b]; });
        std::vector<FillingSheet> sheets;
        for (const std::size_t i : order) {
            progress.check();
            layout.effort += 1 / double(order.size());
            const auto place = placeFor(*footprints, i, plan.turns[i], sheets);
            if (!place) {
                layout.missing.push_back(i);
                layout.missingArea += m_charts.areas[i];
                if (layout.missingArea > mostMissing || m_charts.isLarge(i)) break;
                continue;
            }
            sheets[std::size_t(place->sheet)].put(footprints->of(i, place->size)[place->quarter], place->spot);
            layout.places[i] = *place;
            layout.filled += m_charts.areas[i] * m_sizes.areaFactor(place->size);
        }
        layout.sheets = int(sheets.size());
        return layout;
    }

    // Changes the plan until all charts are laid out at that scale, or the effort is made.
    Layout search(double texelsPerUnit, PackPlan& plan, double mostEffort, const Progress& progress) const {
        constexpr std::size_t atFirst = 2, later = 4;
        const auto footprints = this->footprints(texelsPerUnit);
        footprints->make(
            [&](std::size_t chart) { return isTooLong(*footprints, chart, Sizes::due) ? Sizes::count : Sizes::due; },
            progress);
        std::optional<Layout> best;
        double effort = 0;
        for (std::uint64_t round = 0; !best || (!best->isWhole() && effort < mostEffort); ++round) {
            std::vector<PackPlan> plans(best ? later : atFirst);
            std::vector<Layout> layouts(plans.size());
            const double mostMissing = best ? best->missingArea : std::numeric_limits<double>::infinity();
            parallelFor(
                plans.size(),
                [&](std::size_t k) {
                    const std::uint64_t number = later * round + k;
                    plans[k] =
                        number == 0 ? plan : changed(plan, best ? best->missing : std::vector<std::size_t>(), number);
                    layouts[k] = lay(footprints, plans[k], mostMissing, progress);
                },
                1);
            for (const Layout& layout : layouts) effort += layout.effort;
            const auto next = std::ranges::min_element(
                layouts, {}, [](const Layout& layout) { return std::pair(!layout.isWhole(), layout.missingArea); });
            if (best && next->missingArea > best->missingArea) continue;
            plan = std::move(plans[std::size_t(next - layouts.begin())]);
            best = std::move(*next);
        }
        best->effort = effort;
        return std::move(*best);
    }

    // Charts with room beside them, or elsewhere, become larger.
    void enlarge(Layout& layout, const Progress& progress) const {
        if (m_sizes.areOne()) return;
        const Footprints& footprints = *layout.footprints;
        std::vector<SheetCells> sheets(std::size_t(layout.sheets), SheetCells(m_settings.size / m_cell));
        std::vector<std::size_t> order(layout.places.size());
        for (std::size_t i = 0; i < order.size(); ++i) {
            const ChartPlace& place = layout.places[i];
            sheets[std::size_t(place.sheet)].put(footprints.of(i, place.size)[place.quarter], place.spot);
            order[i] = i;
        }
        std::stable_sort(order.begin(), order.end(),
                         [&](std::size_t a, std::size_t b) { return m_charts.areas[a] > m_charts.areas[b]; });
        footprints.make([&](std::size_t i) { return layout.places[i].size + 1; }, progress);
        for (const std::size_t i : order) {
            progress.check();
            ChartPlace& place = layout.places[i];
            SheetCells& sheet = sheets[std::size_t(place.sheet)];
            sheet.take(footprints.of(i, place.size)[place.quarter], place.spot);
            for (std::size_t size = place.size + 1; size < Sizes::count; ++size) {
                const auto larger = lowestOnByAll(sheet, footprints.of(i, size), m_charts.turns[i]);
                if (!larger) break;
                layout.filled += m_charts.areas[i] * (m_sizes.areaFactor(size) - m_sizes.areaFactor(place.size));
                place = {place.sheet, larger->quarter, size, larger->spot};
            }
            sheet.put(footprints.of(i, place.size)[place.quarter], place.spot);
        }
    }

    Packing packingOf(const Layout& layout) const {
        Packing packing;
        packing.sheets = layout.sheets;
        packing.texelsPerUnit =
            layout.texelsPerUnit() * (m_sizes.areOne() ? 1 : std::sqrt(layout.filled / m_charts.area));
        packing.fill = layout.texels() / (double(layout.sheets) * m_settings.size * m_settings.size);
        for (std::size_t i = 0; i < layout.places.size(); ++i) {
            const ChartPlace& place = layout.places[i];
            const Vec2d corner = Vec2d(place.spot.x, place.spot.y) * m_cell;
            packing.charts.push_back({place.sheet, m_charts.angles[i] + double(place.quarter) * pi / 2,
                                      layout.texelsPerUnit() * m_charts.weights[i] * m_sizes.factors[place.size],
                                      corner - layout.footprints->of(i, place.size)[place.quarter].origin});
        }
        return packing;
    }

private:
    struct Way {
        std::size_t quarter;
        SheetCells::Spot spot;
    };

    // For a sheet: its footprint may be beyond all measure.
    bool isTooLong(const Footprints& footprints, std::size_t chart, std::size_t size) const {
        const double length = m_charts.outlines[chart].box.sizes().maxCoeff() * m_charts.weights[chart];
        return length * m_sizes.factors[size] * footprints.texelsPerUnit() > m_settings.size;
    }

    // Where it ends, by which the lowest is chosen.
    static std::pair<int, int> endOf(const std::array<Footprint, quarters>& footprints, const Way& way) {
        const Footprint& footprint = footprints[way.quarter];
        return {way.spot.y + footprint.height, way.spot.x + footprint.width};
    }

    std::optional<Way> lowestOn(FillingSheet& sheet, const std::array<Footprint, quarters>& footprints,
                                std::uint8_t turns) const {
        std::optional<Way> best;
        for (std::size_t quarter = 0; quarter < quarters; ++quarter)
            if ((turns >> quarter & 1) != 0) {
                const int top = best ? endOf(footprints, *best).first : m_settings.size;
                takeLower(footprints, quarter, sheet.find(footprints[quarter], top), best);
            }
        return best;
    }

    // The same with quarters side by side, for one chart after another.
    std::optional<Way> lowestOnByAll(const SheetCells& sheet, const std::array<Footprint, quarters>& footprints,
                                     std::uint8_t turns) const {
        std::array<std::optional<SheetCells::Spot>, quarters> spots;
        parallelFor(
            quarters,
            [&](std::size_t quarter) {
                if ((turns >> quarter & 1) != 0) spots[quarter] = sheet.find(footprints[quarter], m_settings.size);
            },
            1);
        std::optional<Way> best;
        for (std::size_t quarter = 0; quarter < quarters; ++quarter)
            takeLower(footprints, quarter, spots[quarter], best);
        return best;
    }

    static void takeLower(const std::array<Footprint, quarters>& footprints, std::size_t quarter,
                          const std::optional<SheetCells::Spot>& spot, std::optional<Way>& best) {
        if (!spot) return;
        const Way way{quarter, *spot};
        if (!best || endOf(footprints, way) < endOf(footprints, *best)) best = way;
    }

    // In the size that is due if there is room, or else in a smaller one. A sheet more is begun if it has to be.
    std::optional<ChartPlace> placeFor(const Footprints& footprints, std::size_t chart, std::uint8_t turns,
                                       std::vector<FillingSheet>& sheets) const {
        for (std::size_t size = Sizes::due + 1; size-- > (m_sizes.areOne() ? Sizes::due : 0);) {
            if (isTooLong(footprints, chart, size)) continue;
            for (int sheet = 0; sheet < m_settings.sheets; ++sheet) {
                if (sheet == int(sheets.size())) sheets.emplace_back(m_settings.size / m_cell);
                if (const auto way = lowestOn(sheets[std::size_t(sheet)], footprints.of(chart, size), turns))
                    return ChartPlace{sheet, way->quarter, size, way->spot};
            }
        }
        return std::nullopt;
    }

    // What was missing comes earlier, some others come earlier or later, and a large one may be turned: few changes
    // keep what is good of a plan, many lead away from one that is not. Where a large one is missing, only large ones
    // matter.
    PackPlan changed(const PackPlan& plan, const std::vector<std::size_t>& missing, std::uint64_t number) const {
        constexpr double earlier = 0.5, elsewhere = 0.2, turns = 0.5;
        const int some = 1 << number % 4;
        PackPlan next = plan;
        std::uint64_t count = 0;
        const auto random = [&] { return double(mixBits(number * 1'000'003 + ++count) >> 11) * 0x1p-53; };
        const auto move = [&](std::size_t chart) { next.ranks[chart] *= std::exp(elsewhere * (2 * random() - 1)); };
        const auto oneOf = [&](std::size_t size) { return std::size_t(random() * double(size)); };
        const auto large = [&] { return m_charts.large[oneOf(m_charts.large.size())]; };
        const bool lacksLarge = std::ranges::any_of(missing, [&](std::size_t i) { return m_charts.isLarge(i); });
        for (const std::size_t i : missing) next.ranks[i] *= 1 + earlier * random();
        for (int k = 0; k < some; ++k) move(lacksLarge ? large() : oneOf(next.ranks.size()));
        if (!m_charts.large.empty() && (lacksLarge || random() < turns)) {
            const std::size_t chart = large();
            const auto turn = std::uint8_t(1 << oneOf(quarters + 1) & m_charts.turns[chart]);
            move(chart);
            next.turns[chart] = turn != 0 ? turn : m_charts.turns[chart];
        }
        return next;
    }

    const Charts& m_charts;
    const PackSettings m_settings;
    const int m_cell;
    const Sizes m_sizes;
};

// As large as they fit in plain order, from what usually does: two scales at a time, outwards until one does and one
// does not, then between them. Nothing if hardly a texel is left for them.
std::optional<Layout> largestInPlainOrder(const Packer& packer, double full, const Progress& progress) {
    constexpr double usual = 0.87, step = 1.04, precision = 1.015;
    const PackPlan plan = packer.plainPlan();
    std::optional<Layout> best;
    double scale = usual * full, tooLarge = std::numeric_limits<double>::infinity();
    while (!best || tooLarge > precision * best->texelsPerUnit()) {
        if (scale < 1e-3 * full) return std::nullopt;
        if (best && best->texelsPerUnit() > full) break;  // points fit at any scale
        std::array<double, 2> scales = {scale, step * scale};
        if (best && std::isfinite(tooLarge)) {
            const double third = (tooLarge - best->texelsPerUnit()) / 3;
            scales = {best->texelsPerUnit() + third, tooLarge - third};
        }
        std::array<Layout, 2> layouts;
        parallelFor(
            2, [&](std::size_t i) { layouts[i] = packer.lay(packer.footprints(scales[i]), plan, 0, progress); }, 1);
        if (!layouts[1].isWhole()) tooLarge = layouts[0].isWhole() ? scales[1] : scales[0];
        if (layouts[1].isWhole() || layouts[0].isWhole()) best = std::move(layouts[layouts[1].isWhole() ? 1 : 0]);
        scale = best ? step * scales[1] : scales[0] / (step * step);
    }
    return best;
}

// In other orders and turns a little more often fits: by more where that was found soon, by less where it was not.
// More effort is worth it where much of the sheets is empty, less where little is.
void searchLarger(const Packer& packer, double full, double sheetTexels, Layout& best, double effort,
                  const Progress& progress) {
    constexpr double firstStep = 1.012, leastStep = 1.002, mostStep = 1.03, soon = 3, fairlyFull = 0.795,
                     wellFull = 0.83;
    const double atAScale = std::min(16.0, effort / 3);
    PackPlan plan = packer.plainPlan();
    double scale = best.texelsPerUnit(), step = firstStep, made = 0;
    while (scale < 1.2 * full) {
        const double fill = best.texels() / sheetTexels;
        const double most = effort * (fill < fairlyFull ? 3 : fill < wellFull ? 1 : 0.5);
        if (made >= most) break;
        progress.at(made / most);
        Layout layout = packer.search(scale * step, plan, std::min(atAScale, most - made), progress);
        made += layout.effort;
        if (!layout.isWhole()) {
            step = std::max(leastStep, std::sqrt(step));
            continue;
        }
        scale *= step;
        if (layout.effort < soon) step = std::min(mostStep, step * step);
        if (layout.texels() > best.texels()) best = std::move(layout);
    }
}

}  // namespace

Packing packCharts(const std::vector<const FlatPatch*>& patches, const std::vector<double>& weights,
                   const PackSettings& settings, const Progress& progress) {
    if (patches.empty()) return {};
    const Charts charts = chartsOf(patches, weights);
    const Packer packer(charts, settings);
    const std::string sheets =
        countOf(std::size_t(settings.sheets), "sheet", "sheets") + " of " + std::to_string(settings.size);
    if (settings.texelsPerUnit > 0) {
        constexpr double effort = 10;
        PackPlan plan = packer.plainPlan();
        const Layout layout = packer.search(settings.texelsPerUnit, plan, effort, progress);
        if (layout.isWhole()) return packer.packingOf(layout);
        throw InputError("The charts do not fit on " + sheets +
                         " texels at this density; ask for fewer texels, larger or more sheets.");
    }
    const double sheetTexels = double(settings.sheets) * settings.size * settings.size;
    const double full = std::min(std::sqrt(sheetTexels / charts.area), settings.size / charts.length);
    std::optional<Layout> best = largestInPlainOrder(packer, full, progress);
    if (!best)
        throw InputError("There are " + formatCount(patches.size()) + " charts, too many for " + sheets +
                         " texels; take larger ones.");
    progress.at(0.4);
    // It takes no longer than the charts may be expected to have taken.
    std::size_t triangles = 0;
    for (const FlatPatch* patch : patches) triangles += patch->triangles.size();
    const double effort = std::clamp(double(triangles) / (2 * double(patches.size())), 12.0, 96.0);
    searchLarger(packer, full, sheetTexels, *best, effort, progress.span(0.4, 0.9));
    packer.enlarge(*best, progress);
    progress.at(1);
    return packer.packingOf(*best);
}

}  // namespace um
