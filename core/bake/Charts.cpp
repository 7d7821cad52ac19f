#include "bake/Charts.h"

#include "bake/ChartMaker.h"
#include "bake/JoinedCharts.h"
#include "bake/Pieces.h"
#include "bake/StraightBorders.h"
#include "bake/StraightCharts.h"
#include "base/Parallel.h"

#include <algorithm>
#include <iterator>
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

// Halves grown from triangles that are far apart; each is one connected part, or more where the cut leaves some.
std::vector<std::vector<TriangleId>> cutInTwo(const ChartMaker& maker, const std::vector<TriangleId>& triangles) {
    constexpr int rings = 2;
    const Neighbours around = among(maker.around(), triangles);
    std::array<std::uint32_t, 2> seeds{};
    nearestSeeds(maker.mesh(), triangles, around, {0}, seeds[0]);
    nearestSeeds(maker.mesh(), triangles, around, {seeds[0]}, seeds[1]);
    if (seeds[1] == seeds[0]) seeds[1] = seeds[0] == 0 ? 1 : 0;
    std::uint32_t last = 0;
    std::vector<std::uint32_t> half = nearestSeeds(maker.mesh(), triangles, around, {seeds[0], seeds[1]}, last);
    straightenBorders(around, half, rings);
    std::vector<std::vector<TriangleId>> parts = connectedGroups(around, half);
    for (std::vector<TriangleId>& part : parts)
        for (TriangleId& place : part) place = triangles[place];
    return parts;
}

// Cut in two where it does not lie flat or nothing finds a place beside it, and so on.
void lay(const ChartMaker& maker, const std::vector<TriangleId>& triangles, std::vector<Chart>& charts) {
    if (triangles.size() == 1)
        charts.push_back(maker.single(triangles[0]));
    else if (auto chart = maker.handy(triangles, {}))
        charts.push_back(std::move(*chart));
    else
        for (const std::vector<TriangleId>& part : cutInTwo(maker, triangles)) lay(maker, part, charts);
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
            lay(maker, groups[i], laid[i]);
        },
        1);
    progress.at(0.3);
    std::vector<Chart> charts;
    for (std::vector<Chart>& few : laid) std::move(few.begin(), few.end(), std::back_inserter(charts));
    joinCharts(maker, charts, progress.span(0.3, 0.8));
    straightenCharts(maker, charts, progress.span(0.8, 1));
    progress.at(1);
    return charts;
}

}  // namespace um
