#include "chain/Chain.h"

#include "base/Error.h"
#include "base/File.h"
#include "chain/ReduceToTarget.h"

#include <algorithm>
#include <nlohmann/json.hpp>

namespace um {
namespace {

using Json = nlohmann::ordered_json;

constexpr int recipeVersion = 1;
constexpr std::size_t mostLevels = 16;

ReduceSettings settingsOf(const Recipe& recipe, const Mesh& source) {
    ReduceSettings settings;
    settings.protect = recipe.protect;
    settings.silhouetteWeight = recipe.silhouetteWeight;
    if (!recipe.dropLoose.empty())
        settings.dropLooseBelow = parseSize(recipe.dropLoose, diagonal(source), recipe.screen, source.metresPerUnit);
    return settings;
}

void requireSensible(const Recipe& recipe) {
    if (recipe.targets.empty()) throw InputError("A chain needs at least one level: give it a target, such as 120k.");
    if (recipe.targets.size() > mostLevels)
        throw InputError("A chain has at most " + std::to_string(mostLevels) + " levels; name fewer targets.");
    if (!(recipe.silhouetteWeight >= 0 && recipe.silhouetteWeight <= 1))
        throw InputError("The silhouette weight goes from 0 to 1.");
    if (!(recipe.allowedPixels > 0)) throw InputError("The allowed error in pixels must be above 0, such as 1.");
    for (const std::string& target : recipe.targets) parseTarget(target);
}

// All by one reduction, where each target says its count beforehand.
std::vector<ChainLevel> reduceTogether(const Mesh& source, const Recipe& recipe, const std::vector<std::size_t>& counts,
                                       ReduceNotes& notes, const Progress& progress) {
    std::vector<ChainLevel> levels;
    Reduction reduction(source, counts.back(), settingsOf(recipe, source), progress.span(0, 0.2));
    for (std::size_t i = 0; i < counts.size(); ++i) {
        const double from = 0.2 + 0.8 * double(i) / double(counts.size());
        const double to = 0.2 + 0.8 * double(i + 1) / double(counts.size());
        // The copy that is made of it here leaves the reduction where it is.
        ChainLevel level;
        level.target = recipe.targets[i];
        level.targetMet = reduction.reduceTo(counts[i], progress.span(from, (from + to) / 2));
        level.mesh = reduction.mesh(progress.span((from + to) / 2, to));
        levels.push_back(std::move(level));
    }
    notes = reduction.notes();
    return levels;
}

std::vector<ChainLevel> reduceEach(const Mesh& source, const Recipe& recipe, ReduceNotes& notes,
                                   const Progress& progress) {
    std::vector<ChainLevel> levels;
    const double share = 1.0 / double(recipe.targets.size());
    for (const std::string& typed : recipe.targets) {
        const double from = share * double(levels.size());
        TargetResult result = reduceToTarget(source, parseTarget(typed), recipe.screen, settingsOf(recipe, source),
                                             progress.span(from, from + share));
        ChainLevel level;
        level.target = typed;
        level.targetMet = result.targetMet;
        level.mesh = std::move(result.mesh);
        if (result.deviation) level.deviation = std::move(*result.deviation);
        levels.push_back(std::move(level));
        notes = std::move(result.notes);
    }
    return levels;
}

}  // namespace

std::vector<std::string> targetsByRatio(const std::string& first, double ratio, std::size_t levels) {
    if (levels == 0 || levels > mostLevels)
        throw InputError("A chain has from 1 to " + std::to_string(mostLevels) + " levels.");
    if (!(ratio > 0 && ratio < 1))
        throw InputError("The ratio between a level and the next lies between 0 and 1, such as 0.3.");
    const Target target = parseTarget(first);
    std::vector<std::string> targets;
    double factor = 1;
    for (std::size_t i = 0; i < levels; ++i, factor *= ratio) {
        if (const auto* count = std::get_if<CountTarget>(&target))
            targets.push_back(
                std::to_string(std::max<std::size_t>(1, std::size_t(double(count->triangles) * factor + 0.5))));
        else if (const auto* share = std::get_if<ShareTarget>(&target))
            targets.push_back(formatNumber(100 * share->share * factor) + "%");
        else
            throw InputError(
                "Levels by a ratio start from a count or a share, such as 120k or 10%; name the targets "
                "one by one for lengths and pixels.");
    }
    return targets;
}

Recipe recipeFromJson(const std::string& text) {
    Recipe recipe;
    try {
        const Json json = Json::parse(text);
        if (json.at("recipe").get<int>() > recipeVersion)
            throw InputError(
                "The recipe was written by a newer version of this program; update it, or save the recipe again.");
        for (const Json& level : json.at("levels")) recipe.targets.push_back(level.at("target"));
        if (json.contains("screen")) recipe.screen = parseScreen(json.at("screen").get<std::string>());
        recipe.allowedPixels = json.value("allowed_pixels", recipe.allowedPixels);
        if (json.contains("protect")) recipe.protect = parseProtect(json.at("protect").get<std::string>());
        recipe.silhouetteWeight = json.value("silhouette_weight", recipe.silhouetteWeight);
        recipe.dropLoose = json.value("drop_loose", recipe.dropLoose);
    } catch (const Json::exception&) {
        throw InputError(
            "That is no recipe: it is not JSON, or \"recipe\" or the \"levels\" with their targets are "
            "missing; see docs/FORMATS.md.");
    }
    requireSensible(recipe);
    return recipe;
}

std::string recipeJson(const Recipe& recipe) {
    Json levels = Json::array();
    for (const std::string& target : recipe.targets) levels.push_back({{"target", target}});
    Json json = {{"recipe", recipeVersion},
                 {"levels", levels},
                 {"screen", std::to_string(recipe.screen.heightPixels) + "px," +
                                formatNumber(recipe.screen.fieldOfViewDegrees) + "deg"},
                 {"allowed_pixels", recipe.allowedPixels},
                 {"protect", formatProtect(recipe.protect)},
                 {"silhouette_weight", recipe.silhouetteWeight},
                 {"drop_loose", recipe.dropLoose}};
    return json.dump(2) + "\n";
}

Chain makeChain(const Mesh& source, const Recipe& recipe, const Progress& progress) {
    requireSensible(recipe);
    Chain chain;
    std::vector<std::size_t> counts;
    for (const std::string& typed : recipe.targets)
        if (const auto count = targetTriangles(parseTarget(typed), source.triangleCount())) counts.push_back(*count);
    const bool together = counts.size() == recipe.targets.size() && recipe.dropLoose.empty();
    for (std::size_t i = 1; i < counts.size() && together; ++i)
        if (counts[i] >= counts[i - 1])
            throw InputError("Level " + std::to_string(i) + " of the chain (" + recipe.targets[i] +
                             ") is not coarser than the one before; order the targets from fine to coarse.");
    chain.levels = together ? reduceTogether(source, recipe, counts, chain.notes, progress.span(0, 0.5))
                            : reduceEach(source, recipe, chain.notes, progress.span(0, 0.5));
    const double metres = source.metresPerUnit;
    double before = 0;
    for (std::size_t i = 0; i < chain.levels.size(); ++i) {
        ChainLevel& level = chain.levels[i];
        const double at = 0.5 + 0.5 * double(i) / double(chain.levels.size());
        if (i > 0 && level.mesh.triangleCount() > chain.levels[i - 1].mesh.triangleCount())
            throw InputError("Level " + std::to_string(i) + " of the chain (" + recipe.targets[i] +
                             ") came out finer than the one before; order the targets from fine to coarse.");
        if (level.deviation.distribution.empty())
            level.deviation =
                measureDeviation(source, level.mesh, {}, progress.span(at, at + 0.5 / double(chain.levels.size())));
        level.switchDistance =
            i == 0 ? 0
                   : std::max(before, recipe.screen.distance(level.deviation.maxBound * metres, recipe.allowedPixels));
        before = level.switchDistance;
        level.screenSize =
            i == 0 ? 1
                   : recipe.screen.pixels(diagonal(source) * metres, level.switchDistance) / recipe.screen.heightPixels;
    }
    progress.at(1);
    return chain;
}

std::string manifestJson(const Chain& chain, const Recipe& recipe, const std::string& name, const Mesh& source,
                         const std::vector<std::filesystem::path>& files) {
    Json levels = Json::array();
    const double metres = source.metresPerUnit;
    for (std::size_t i = 0; i < chain.levels.size(); ++i) {
        const ChainLevel& level = chain.levels[i];
        const Deviation& d = level.deviation;
        levels.push_back({{"file", files[i].generic_string()},
                          {"target", level.target},
                          {"target_met", level.targetMet},
                          {"triangles", level.mesh.triangleCount()},
                          {"vertices", level.mesh.vertexCount()},
                          {"draw_calls", level.mesh.sections.size()},
                          {"switch_distance_metres", level.switchDistance},
                          {"screen_size", level.screenSize},
                          {"deviation_metres",
                           {{"max", d.max * metres},
                            {"max_bound", d.maxBound * metres},
                            {"rms", d.rms * metres},
                            {"mean", d.mean * metres},
                            {"p95", d.p95 * metres},
                            {"p99", d.p99 * metres}}},
                          {"shape_hash", hashBytes({std::as_bytes(std::span(level.mesh.positions)),
                                                    std::as_bytes(std::span(level.mesh.triangles))})}});
    }
    const Json json = {{"name", name},
                       {"source_triangles", source.triangleCount()},
                       {"recipe", Json::parse(recipeJson(recipe))},
                       {"levels", levels}};
    return json.dump(2, ' ', false, Json::error_handler_t::replace) + "\n";
}

}  // namespace um
