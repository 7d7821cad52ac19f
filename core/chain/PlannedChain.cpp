#include "chain/PlannedChain.h"

#include "chain/Care.h"
#include "chain/Plan.h"

#include <cmath>
#include <sstream>

namespace um {

namespace {

double nearestOf(const PlanSettings& plan, const AssetSize& size, const Screen& screen) {
    return plan.nearest > 0 ? plan.nearest : size.nearest(screen);
}

}  // namespace

std::string pixelTarget(double pixels, double distance) {
    const double digit = std::pow(10, std::floor(std::log10(distance)) - 3);
    std::ostringstream text;
    text << pixels << "px@" << std::floor(distance / digit) * digit << "m";
    return text.str();
}

Room roomFor(const std::vector<Level>& before, const std::vector<std::size_t>& planned, std::size_t total) {
    Room room;
    room.most = before.back().mesh->triangleCount() - 1;
    const std::size_t next = before.size() + 1;
    if (next < planned.size()) room.least = planned[next] + 1;
    if (total == 0) return room;
    std::size_t others = 0;
    for (const Level& level : before) others += level.mesh->triangleCount();
    for (std::size_t i = next; i < planned.size(); ++i) others += planned[i];
    room.most = std::min(room.most, total - std::min(total, others));
    return room;
}

std::optional<Fewest> fewestFrom(double from, FewestFinder& finder, double metresPerUnit, const Recipe& recipe,
                                 const Room& room, const Progress& progress) {
    const Target target = parseTarget(pixelTarget(recipe.switching.allowedPixels, from));
    Fewest fewest =
        finder.within(*allowedDeviation(target, recipe.screen, metresPerUnit), SearchEffort::Quick, progress);
    const std::size_t triangles = fewest.mesh.triangleCount();
    if (triangles < room.least || triangles > room.most) return std::nullopt;
    return fewest;
}

PlannedChain planChain(const Mesh& source, Recipe recipe, const AssetSize& size, const Progress& progress) {
    std::vector<std::string> ignored;
    const Care care = withKnownParts(recipe.care, source, ignored);
    const PlanSettings settings = *recipe.plan;
    const double metres = source.metresPerUnit;
    const std::string target = pixelTarget(recipe.switching.allowedPixels, nearestOf(settings, size, recipe.screen));
    const double allowed = *allowedDeviation(parseTarget(target), recipe.screen, metres);
    PlannedChain result;
    result.finder =
        std::make_shared<FewestFinder>(source, settingsFor(care, source, recipe.screen), progress.span(0, 0.2));
    result.first = result.finder->within(allowed, SearchEffort::Quick, progress.span(0.2, 0.7));
    const auto triangles = result.first->mesh.triangleCount();
    const ErrorCurve curve =
        measureErrorCurve(result.finder->halved(), {double(triangles), allowed * metres}, progress.span(0.7, 1));
    const double facingShare = facingTriangles(source) / double(source.triangleCount());
    Plan plan = planFrom(curve, size, facingShare, settings, recipe.screen, recipe.switching);
    for (const PlannedLevel& level : plan.levels) {
        LevelRecipe one;
        one.target = std::to_string(level.triangles);
        // From afar fine texels are not seen.
        one.fitTextures = level.from > 0;
        if (!recipe.levels.empty() || settings.materials == MaterialKeeping::Baked) one.materials = settings.materials;
        recipe.levels.push_back(one);
        result.from.push_back(level.from);
    }
    std::size_t others = 0;
    for (std::size_t i = 1; i < plan.levels.size(); ++i) others += plan.levels[i].triangles;
    if (settings.totalTriangles == 0 || others + triangles <= settings.totalTriangles)
        recipe.levels.front().target = target;
    else
        result.first.reset();
    recipe.plan.reset();
    result.recipe = std::move(recipe);
    result.advice = std::move(plan.advice);
    return result;
}

}  // namespace um
