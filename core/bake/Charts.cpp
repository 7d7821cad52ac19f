#include "bake/Charts.h"

#include "bake/ChartMaker.h"
#include "bake/Hull.h"
#include "bake/JoinedCharts.h"
#include "bake/Pieces.h"
#include "bake/StraightBorders.h"
#include "bake/StraightCharts.h"
#include "base/Parallel.h"

#include <algorithm>
#include <cmath>
#include <iterator>
#include <limits>
#include <queue>

namespace um {
namespace {

constexpr TriangleId none = Neighbours::none;

// Which seed is nearest to each of the triangles, from one to the next.
// @param around  them by themselves
// @param last  is set to the one that is farthest from all of them
std::vector<std::uint32_t> nearestSeeds(const Mesh& mesh, const std::vector<TriangleId>& triangles,
                                        const Neighbours& around, const std::vector<std::uint32_t>& seeds,
                                        std::uint32_t& last) {
    const auto middle = [&](std::uint32_t i) {
        Vec3d sum = Vec3d::Zero();
        for (const VertexId v : mesh.triangles[triangles[i]]) sum += mesh.positions[v].cast<double>();
        return Vec3d(sum / 3);
    };
    using Step = std::tuple<double, std::uint32_t, std::uint32_t>;  // distance, triangle, seed
    std::vector<std::uint32_t> nearest(triangles.size(), none);
    std::priority_queue<Step, std::vector<Step>, std::greater<>> queue;
    for (std::uint32_t s = 0; s < seeds.size(); ++s) queue.emplace(0, seeds[s], s);
    while (!queue.empty()) {
        const auto [distance, i, seed] = queue.top();
        queue.pop();
        if (nearest[i] != none) continue;
        nearest[i] = seed;
        last = i;
        for (const std::uint32_t next : around.beyond[i])
            if (next != none && nearest[next] == none)
                queue.emplace(distance + (middle(next) - middle(i)).norm(), next, seed);
    }
    return nearest;
}

// Some triangles by themselves; one may not go over the cuts.
Neighbours within(const ChartMaker& maker, const std::vector<TriangleId>& triangles,
                  const std::vector<std::uint64_t>& cuts) {
    Neighbours around = among(maker.around(), triangles);
    for (const std::uint64_t edge : cuts)
        around.beyond[placeAmong(triangles, TriangleId(edge / 3)).value()][edge % 3] = none;
    return around;
}

// The two halves after their border is straightened; each is one connected part, or more where that leaves some.
std::vector<std::vector<TriangleId>> partsOf(const Neighbours& around, std::vector<std::uint32_t> half,
                                             const std::vector<TriangleId>& triangles) {
    constexpr int rings = 2;
    straightenBorders(around, half, rings);
    std::vector<std::vector<TriangleId>> parts = connectedGroups(around, half);
    for (std::vector<TriangleId>& part : parts)
        for (TriangleId& place : part) place = triangles[place];
    return parts;
}

// Halves grown from triangles that are far apart.
std::vector<std::vector<TriangleId>> cutInTwo(const ChartMaker& maker, const std::vector<TriangleId>& triangles,
                                              const std::vector<std::uint64_t>& cuts) {
    const Neighbours around = within(maker, triangles, cuts);
    std::array<std::uint32_t, 2> seeds{};
    nearestSeeds(maker.mesh(), triangles, around, {0}, seeds[0]);
    nearestSeeds(maker.mesh(), triangles, around, {seeds[0]}, seeds[1]);
    if (seeds[1] == seeds[0]) seeds[1] = seeds[0] == 0 ? 1 : 0;
    std::uint32_t last = 0;
    return partsOf(around, nearestSeeds(maker.mesh(), triangles, around, {seeds[0], seeds[1]}, last), triangles);
}

// Halves of what lies flat, across the middle of its length.
std::vector<std::vector<TriangleId>> cutAcross(const ChartMaker& maker, const Chart& chart) {
    const double angle = smallestBox(chart.patch.flat).angle;
    const Vec2d along(std::cos(angle), -std::sin(angle));
    double least = std::numeric_limits<double>::infinity(), most = -least;
    for (const Vec2d& p : chart.patch.flat) {
        least = std::min(least, p.dot(along));
        most = std::max(most, p.dot(along));
    }
    std::vector<std::uint32_t> half;
    for (const Triangle& t : chart.patch.triangles) {
        const Vec2d sum = chart.patch.flat[t[0]] + chart.patch.flat[t[1]] + chart.patch.flat[t[2]];
        half.push_back(sum.dot(along) / 3 > (least + most) / 2);
    }
    return partsOf(within(maker, chart.triangles, chart.cuts), std::move(half), chart.triangles);
}

// Cut in two where it does not lie flat or nothing finds a place beside it, and so on; but what would fall into many
// pieces that take no less room, such as a wheel with all its teeth, stays whole.
void lay(const ChartMaker& maker, const std::vector<TriangleId>& triangles, const std::vector<std::uint64_t>& cuts,
         std::vector<Chart>& charts) {
    if (triangles.size() == 1) {
        charts.push_back(maker.single(triangles[0]));
        return;
    }
    auto whole = maker.flat(triangles, cuts);
    std::vector<Chart> parts;
    if (!whole || !maker.isHandy(*whole))
        for (const std::vector<TriangleId>& part : cutInTwo(maker, triangles, cuts))
            lay(maker, part, maker.cutsWithin(cuts, part), parts);
    constexpr std::size_t many = 8;
    const auto roomOfParts = [&] {
        double sum = 0;
        for (const Chart& part : parts) sum += maker.roomOf(part);
        return sum;
    };
    const bool staysWhole =
        whole &&
        (parts.empty() || (parts.size() > many && maker.hasRoom(*whole) && maker.roomOf(*whole) <= roomOfParts()));
    if (staysWhole)
        charts.push_back(std::move(*whole));
    else
        std::move(parts.begin(), parts.end(), std::back_inserter(charts));
}

// Of large ones that find no place together, one for each sheet stays whole: the largest.
void cutLargeOnes(const ChartMaker& maker, std::vector<Chart>& charts) {
    std::vector<Chart> whole, others;
    for (Chart& chart : charts) (maker.isLarge(chart) ? whole : others).push_back(std::move(chart));
    std::stable_sort(whole.begin(), whole.end(),
                     [](const Chart& a, const Chart& b) { return stretchOf(a.patch).area > stretchOf(b.patch).area; });
    std::vector<Chart> kept;
    for (Chart& chart : whole) {
        const auto crowded =
            std::ranges::count_if(kept, [&](const Chart& other) { return !maker.fitTogether(chart, other); });
        if (std::size_t(crowded) < maker.sheets())
            kept.push_back(std::move(chart));
        else
            for (const std::vector<TriangleId>& part : cutAcross(maker, chart))
                lay(maker, part, maker.cutsWithin(chart.cuts, part), others);
    }
    std::move(kept.begin(), kept.end(), std::back_inserter(others));
    charts = std::move(others);
}

}  // namespace

std::vector<Chart> cutIntoCharts(const Mesh& mesh, const ChartSettings& settings, const Progress& progress) {
    const ChartMaker maker(mesh, settings);
    const std::vector<std::uint32_t> pieceOf = nearlyFlatPieces(maker.around(), progress);
    progress.at(0.1);
    const auto groups = connectedGroups(maker.around(), pieceOf);
    std::vector<std::vector<Chart>> laid(groups.size());
    parallelFor(
        groups.size(),
        [&](std::size_t i) {
            progress.check();
            lay(maker, groups[i], {}, laid[i]);
        },
        1);
    progress.at(0.3);
    std::vector<Chart> charts;
    for (std::vector<Chart>& few : laid) std::move(few.begin(), few.end(), std::back_inserter(charts));
    joinCharts(maker, charts, progress.span(0.3, 0.8));
    cutLargeOnes(maker, charts);
    straightenCharts(maker, charts, progress.span(0.8, 1));
    progress.at(1);
    return charts;
}

}  // namespace um
