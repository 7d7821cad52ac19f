#include "chain/Recipe.h"

#include "base/Error.h"
#include "base/File.h"
#include "base/Json.h"

#include <algorithm>
#include <nlohmann/json.hpp>

namespace um {
namespace {

// 1: targets, screen, allowed pixels, protect, silhouette weight, loose pieces. 2: all the rest.
constexpr int recipeVersion = 2;

Json toJson(const LevelRecipe& level) {
    const LevelRecipe plain;
    Json json = {{"target", level.target}};
    if (level.fromLevelBefore) json["from_level_before"] = true;
    if (level.protect) json["protect"] = formatProtect(*level.protect);
    if (level.guardStrength != plain.guardStrength) json["guard_strength"] = level.guardStrength;
    if (level.materials != plain.materials) json["materials"] = nameOf(level.materials);
    if (level.fitTextures) json["fit_textures"] = true;
    if (level.switchDistance > 0) json["switch_distance_metres"] = level.switchDistance;
    return json;
}

LevelRecipe levelFrom(const Json& json) {
    LevelRecipe level;
    level.target = json.at("target");
    level.fromLevelBefore = json.value("from_level_before", false);
    if (json.contains("protect")) level.protect = parseProtect(json.at("protect").get<std::string>());
    level.guardStrength = json.value("guard_strength", level.guardStrength);
    if (json.contains("materials")) level.materials = parseMaterialKeeping(json.at("materials").get<std::string>());
    level.fitTextures = json.value("fit_textures", false);
    level.switchDistance = json.value("switch_distance_metres", 0.0);
    return level;
}

Json toJson(const PlanSettings& plan) {
    return {{"most_levels", plan.mostLevels},
            {"step", plan.step},
            {"total_triangles", plan.totalTriangles},
            {"nearest_metres", plan.nearest},
            {"materials", nameOf(plan.materials)}};
}

Json toJson(const Budget& budget) {
    return {{"level_triangles", budget.levelTriangles},
            {"total_triangles", budget.totalTriangles},
            {"draw_calls", budget.drawCalls},
            {"texture_megabytes", budget.textureMegabytes},
            {"file_megabytes", budget.fileMegabytes}};
}

Json toJson(const Switching& switching) {
    return {{"floor_pixels", switching.floorPixels},
            {"hysteresis", switching.hysteresis},
            {"cross_fade", switching.crossFade},
            {"gone_pixels", switching.gonePixels}};
}

void takeAll(Recipe& recipe, const Json& json) {
    if (json.contains("levels"))
        for (const Json& level : json.at("levels")) recipe.levels.push_back(levelFrom(level));
    if (json.contains("plan")) {
        const Json& from = json.at("plan");
        PlanSettings plan;
        plan.mostLevels = from.value("most_levels", plan.mostLevels);
        plan.step = from.value("step", plan.step);
        plan.totalTriangles = from.value("total_triangles", plan.totalTriangles);
        plan.nearest = from.value("nearest_metres", plan.nearest);
        if (from.contains("materials")) plan.materials = parseMaterialKeeping(from.at("materials").get<std::string>());
        recipe.plan = plan;
    }
    if (json.contains("screen")) recipe.screen = parseScreen(json.at("screen").get<std::string>());
    Switching& switching = recipe.switching;
    switching.allowedPixels = json.value("allowed_pixels", switching.allowedPixels);
    if (json.contains("switching")) {
        const Json& from = json.at("switching");
        switching.floorPixels = from.value("floor_pixels", switching.floorPixels);
        switching.hysteresis = from.value("hysteresis", switching.hysteresis);
        switching.crossFade = from.value("cross_fade", switching.crossFade);
        switching.gonePixels = from.value("gone_pixels", switching.gonePixels);
    }
    Care& care = recipe.care;
    if (json.contains("protect")) care.protect = parseProtect(json.at("protect").get<std::string>());
    care.silhouetteWeight = json.value("silhouette_weight", care.silhouetteWeight);
    care.dropLoose = json.value("drop_loose", care.dropLoose);
    care.isThorough = json.value("thorough", care.isThorough);
    if (json.contains("guard"))
        for (const auto& [part, value] : json.at("guard").items())
            care.guard.parts.push_back({part, parseGuard(value.get<std::string>())});
    if (json.contains("bake")) recipe.bake = withoutPlaces(bakeChoiceFromJson(json.at("bake").dump()));
    if (json.contains("budget")) {
        const Json& from = json.at("budget");
        recipe.budget = {from.value("level_triangles", std::size_t(0)), from.value("total_triangles", std::size_t(0)),
                         from.value("draw_calls", std::size_t(0)), from.value("texture_megabytes", 0.0),
                         from.value("file_megabytes", 0.0)};
    }
}

}  // namespace

std::vector<LevelRecipe> levelsByRatio(const std::string& first, double ratio, std::size_t levels) {
    if (levels == 0 || levels > mostLevelsOfChain)
        throw InputError("A chain has from 1 to " + std::to_string(mostLevelsOfChain) + " levels.");
    if (!(ratio > 0 && ratio < 1))
        throw InputError("The ratio between a level and the next lies between 0 and 1, such as 0.3.");
    const Target target = parseTarget(first);
    std::vector<LevelRecipe> result;
    double factor = 1;
    for (std::size_t i = 0; i < levels; ++i, factor *= ratio) {
        LevelRecipe level;
        if (const auto* count = std::get_if<CountTarget>(&target))
            level.target =
                std::to_string(std::max<std::size_t>(1, std::size_t(double(count->triangles) * factor + 0.5)));
        else if (const auto* share = std::get_if<ShareTarget>(&target))
            level.target = formatNumber(100 * share->share * factor) + "%";
        else
            throw InputError(
                "Levels by a ratio start from a count or a share, such as 120k or 10%; name the targets "
                "one by one for lengths and pixels.");
        result.push_back(level);
    }
    return result;
}

void requireSensible(const Recipe& recipe) {
    if (recipe.levels.empty() && !recipe.plan)
        throw InputError("A chain needs at least one level, such as 120k, or a plan by which levels are found.");
    if (!recipe.levels.empty() && recipe.plan)
        throw InputError("A recipe names its levels or plans them, not both; take out \"levels\" or \"plan\".");
    if (recipe.levels.size() > mostLevelsOfChain)
        throw InputError("A chain has at most " + std::to_string(mostLevelsOfChain) + " levels; name fewer targets.");
    if (!(recipe.care.silhouetteWeight >= 0 && recipe.care.silhouetteWeight <= 1))
        throw InputError("The silhouette weight goes from 0 to 1.");
    requireSensible(recipe.switching);
    // What is wrong with baking is told before anything is made, whatever the source's size.
    Mesh anySource;
    anySource.positions = {Vec3f(0, 0, 0), Vec3f(1, 1, 1)};
    settingsFor(recipe.bake, anySource, recipe.screen);
    for (const LevelRecipe& level : recipe.levels) {
        parseTarget(level.target);
        if (!(level.guardStrength >= 0 && level.guardStrength <= 2))
            throw InputError("A level's guard strength goes from 0 (none) to 2 (twice as strict).");
        if (!(level.switchDistance >= 0)) throw InputError("A switch distance is a length of at least 0.");
    }
    if (!recipe.levels.empty() && recipe.levels.front().fromLevelBefore)
        throw InputError("Before the first level there is none that it could be made from.");
    if (recipe.plan) {
        const PlanSettings& plan = *recipe.plan;
        if (plan.mostLevels < 1 || plan.mostLevels > int(mostLevelsOfChain))
            throw InputError("A plan has from 1 to " + std::to_string(mostLevelsOfChain) + " levels.");
        if (!(plan.step > 0 && plan.step < 1))
            throw InputError("The step between planned levels lies between 0 and 1, such as 0.5.");
        if (!(plan.nearest >= 0)) throw InputError("The nearest distance is a length of at least 0.");
    }
}

Recipe recipeFromJson(const std::string& text) {
    Recipe recipe;
    try {
        const Json json = Json::parse(text);
        if (json.at("recipe").get<int>() > recipeVersion)
            throw InputError(
                "The recipe was written by a newer version of this program; update it, or save the recipe again.");
        if (!json.contains("plan")) json.at("levels").get<std::vector<Json>>();
        takeAll(recipe, json);
    } catch (const Json::exception&) {
        throw InputError(
            "That is no recipe: it is not JSON, or \"recipe\" or the \"levels\" with their targets are "
            "missing; see docs/FORMATS.md.");
    }
    requireSensible(recipe);
    return recipe;
}

std::string recipeJson(const Recipe& recipe) {
    Json json = {{"recipe", recipeVersion}};
    if (recipe.plan) {
        json["plan"] = toJson(*recipe.plan);
    } else {
        json["levels"] = Json::array();
        for (const LevelRecipe& level : recipe.levels) json["levels"].push_back(toJson(level));
    }
    json["screen"] =
        std::to_string(recipe.screen.heightPixels) + "px," + formatNumber(recipe.screen.fieldOfViewDegrees) + "deg";
    json["allowed_pixels"] = recipe.switching.allowedPixels;
    json["switching"] = toJson(recipe.switching);
    json["protect"] = formatProtect(recipe.care.protect);
    json["silhouette_weight"] = recipe.care.silhouetteWeight;
    json["drop_loose"] = recipe.care.dropLoose;
    json["thorough"] = recipe.care.isThorough;
    json["guard"] = Json::object();
    for (const PartGuard& guard : recipe.care.guard.parts) json["guard"][guard.part] = formatGuard(guard.value);
    json["budget"] = toJson(recipe.budget);
    if (recipe.bake != BakeChoice()) json["bake"] = Json::parse(bakeChoiceJson(withoutPlaces(recipe.bake)));
    return json.dump(2, ' ', false, Json::error_handler_t::replace) + "\n";
}

std::string levelRecipeJson(const LevelRecipe& level) {
    return toJson(level).dump(-1, ' ', false, Json::error_handler_t::replace);
}

LevelRecipe levelRecipeFromJson(const std::string& text) {
    try {
        return levelFrom(Json::parse(text));
    } catch (const Json::exception&) {
        throw InputError("That is no recipe of a level.");
    }
}

Recipe readRecipe(const std::filesystem::path& file) {
    const MappedFile mapped(file);
    try {
        return recipeFromJson(std::string(mapped.text()));
    } catch (const InputError& error) {
        throw InputError(file.string() + ": " + error.what());
    }
}

void writeRecipe(const Recipe& recipe, const std::filesystem::path& file) {
    writeWhole(file, [&](FileWriter& writer) { writer.write(recipeJson(recipe)); });
}

}  // namespace um
