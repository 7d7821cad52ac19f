#include "chain/Plan.h"

#include "base/Units.h"

#include <algorithm>
#include <cmath>

namespace um {
namespace {

// A level that has more than this share of the triangles of the one before is hardly worth its file.
constexpr double littleSaved = 0.8;

std::string atDistance(double metres) {
    return formatLength(metres);
}

std::string countText(double triangles) {
    return formatCount(std::size_t(std::llround(triangles)));
}

LevelCost costOf(const PlannedLevel& level, double facingShare) {
    LevelCost cost;
    cost.facing = facingShare * double(level.triangles);
    cost.error = level.error;
    return cost;
}

// Spread over the distances from `near` to `far`, as few triangles each as its error allows there.
std::vector<PlannedLevel> spread(const ErrorCurve& curve, int count, double near, double far, const Screen& screen,
                                 const Switching& switching) {
    std::vector<PlannedLevel> levels;
    for (int i = 0; i < count; ++i) {
        const double from = near * std::pow(far / near, double(i) / count);
        const std::size_t triangles = roundedUp(curve.trianglesFor(screen.length(switching.allowedPixels, from)));
        const auto most = std::size_t(curve.points.front().triangles);
        levels.push_back(
            {std::min(triangles, most), i == 0 ? 0 : from, curve.errorOf(double(std::min(triangles, most)))});
    }
    return levels;
}

bool wastesAny(const std::vector<PlannedLevel>& levels, double far, const AssetSize& asset, double facingShare,
               const Screen& screen, const Switching& switching) {
    for (std::size_t i = 0; i < levels.size(); ++i)
        if (costOf(levels[i], facingShare).wastedFrom(asset, screen, switching) <
            (i + 1 < levels.size() ? levels[i + 1].from : far) * 0.999)
            return true;
    return false;
}

}  // namespace

std::size_t roundedUp(double triangles) {
    const double digit = std::pow(10, std::floor(std::log10(std::max(1.0, triangles))) - 2);
    return std::size_t(std::max(1.0, digit < 1 ? std::ceil(triangles) : std::ceil(triangles / digit - 1e-9) * digit));
}

Plan planFrom(const ErrorCurve& curve, const AssetSize& asset, double facingShare, const PlanSettings& settings,
              const Screen& screen, const Switching& switching) {
    Plan plan;
    const double near = settings.nearest > 0 ? settings.nearest : asset.nearest(screen);
    const double useful = screen.distance(asset.height, smallestUseful);
    const double far = std::max(near * 1.01, switching.gonePixels > 0 ? asset.gone(screen, switching) : useful);
    for (int count = 1; count <= settings.mostLevels; ++count) {
        plan.levels = spread(curve, count, near, far, screen, switching);
        if (!wastesAny(plan.levels, far, asset, facingShare, screen, switching)) break;
    }
    for (std::size_t i = 1; i < plan.levels.size();) {
        const double share = double(plan.levels[i].triangles) / double(plan.levels[i - 1].triangles);
        if (share <= settings.step) {
            ++i;
            continue;
        }
        plan.advice.push_back("A level of " + countText(double(plan.levels[i].triangles)) + " triangles from " +
                              atDistance(plan.levels[i].from) + " on would save only " +
                              formatNumber(100 * (1 - share)) + " % over the one before: it is left out.");
        plan.levels.erase(plan.levels.begin() + long(i));
    }
    const auto total = [&] {
        std::size_t sum = 0;
        for (const PlannedLevel& level : plan.levels) sum += level.triangles;
        return sum;
    };
    while (settings.totalTriangles > 0 && total() > settings.totalTriangles) {
        PlannedLevel& first = plan.levels.front();
        const std::size_t rest = total() - first.triangles;
        const std::size_t left = settings.totalTriangles > rest ? settings.totalTriangles - rest : 0;
        const bool alone = plan.levels.size() == 1;
        if (!alone && left <= plan.levels[1].triangles) {
            plan.levels.erase(plan.levels.begin());
            plan.levels.front().from = 0;
            continue;
        }
        first.triangles = std::max<std::size_t>(1, left);
        first.error = curve.errorOf(double(first.triangles));
        break;
    }
    if (const double off = screen.pixels(plan.levels.front().error, near);
        settings.totalTriangles > 0 && off > switching.allowedPixels * 1.001)
        plan.advice.push_back("The budget of " + countText(double(settings.totalTriangles)) + " triangles leaves " +
                              countText(double(plan.levels.front().triangles)) +
                              " for the first level, which is off by " + formatNumber(off) + " px at " +
                              atDistance(near) + ".");
    return plan;
}

std::vector<std::string> adviceOn(const std::vector<std::string>& names, const std::vector<std::size_t>& triangles,
                                  const std::vector<LevelCost>& costs, const Band& band, const AssetSize& asset,
                                  std::size_t sourceTriangles, const Screen& screen, const Switching& switching) {
    std::vector<std::string> advice;
    if (costs.empty()) return advice;
    const double near = asset.nearest(screen);
    if (costs.front().error && triangles.front() < sourceTriangles) {
        const double fine = costs.front().unnoticedFrom(screen, switching);
        const std::string first = names.front() + " with " + countText(double(triangles.front())) + " triangles";
        if (fine <= near * 1.001)
            advice.push_back("The source need not go out: " + first +
                             " is all that is seen even where the asset fills " + "the screen, at " + atDistance(near) +
                             ".");
        else
            advice.push_back("Nearer than " + atDistance(fine) + " " + first + " is off by more than " +
                             formatNumber(switching.allowedPixels) + " px, up to " +
                             formatNumber(screen.pixels(*costs.front().error, near)) + " px at " + atDistance(near) +
                             ".");
    }
    for (std::size_t i = 1; i < costs.size(); ++i) {
        const double share = double(triangles[i]) / double(triangles[i - 1]);
        if (i + 1 < band.from.size() && band.from[i + 1] <= band.from[i] && triangles[i + 1] < triangles[i])
            advice.push_back(names[i] + " is never drawn: " + names[i + 1] + " may come in as soon; drop it.");
        else if (share > littleSaved)
            advice.push_back(share >= 1 ? names[i] + " is no coarser than " + names[i - 1] +
                                              ": change their order, or drop one."
                                        : names[i] + " saves only " + formatNumber(100 * (1 - share)) + " % over " +
                                              names[i - 1] + ": drop it.");
        else if (i < band.from.size() && costs[i].error &&
                 screen.pixels(*costs[i].error, band.from[i]) > switching.allowedPixels * 1.001)
            advice.push_back(names[i] + " comes in at " + atDistance(band.from[i]) + ", where it is off by " +
                             formatNumber(screen.pixels(*costs[i].error, band.from[i])) + " px; from " +
                             atDistance(costs[i].unnoticedFrom(screen, switching)) + " on it would stay within " +
                             formatNumber(switching.allowedPixels) + " px.");
    }
    const double useful = screen.distance(asset.height, smallestUseful);
    std::string wasteful;
    for (std::size_t i = 0; i < costs.size() && i < band.from.size(); ++i) {
        const double end = std::min(i + 1 < band.from.size() ? band.from[i + 1] : band.gone, useful);
        const double wasted = costs[i].wastedFrom(asset, screen, switching);
        if (wasted < end * 0.9 && end > band.from[i])
            wasteful += (wasteful.empty() ? "" : ", ") + names[i] + " from " +
                        atDistance(std::max(wasted, band.from[i])) + " to " + atDistance(end);
    }
    if (!wasteful.empty())
        advice.push_back("Triangles are under " + formatNumber(switching.floorPixels) + " px in " + wasteful +
                         ": coarser levels would do there, if their error could be allowed.");
    if (band.gone > useful * 1.001)
        advice.push_back("From " + atDistance(useful) + " on the asset stands under " + formatNumber(smallestUseful) +
                         " px tall: an impostor, or nothing.");
    return advice;
}

}  // namespace um
