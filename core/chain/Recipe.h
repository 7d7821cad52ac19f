#pragma once
/// The settings that produce a chain, usable on other sources: saved as JSON (docs/FORMATS.md,
/// docs/recipe.schema.json).
#include "chain/BakeChoice.h"
#include "chain/Budget.h"
#include "chain/Care.h"
#include "chain/Corridor.h"

#include <string>
#include <vector>

namespace um {

/// Settings of a planned chain, whose levels are not listed (see planChain).
struct PlanSettings {
    int mostLevels = 5;
    double step = 0.5;               ///< a level has at most this share of the triangles of the one before
    std::size_t totalTriangles = 0;  ///< of all levels together; 0 for any number
    double nearest = 0;              ///< metres, at which the asset is seen from nearest; 0 where it fills the screen
    /// Of all levels where they are baked, else of all but the first.
    MaterialKeeping materials = MaterialKeeping::All;

    bool operator==(const PlanSettings&) const = default;
};

struct Recipe {
    std::vector<LevelRecipe> levels;   ///< the finest first
    std::optional<PlanSettings> plan;  ///< instead of levels: they are found for the source
    Screen screen;
    Switching switching;
    Care care;  ///< guards by part only: places of one source are not those of another
    Budget budget;
    BakeChoice bake;  ///< of levels that are baked; without what belongs to one source: pushes of the cage, other files

    bool operator==(const Recipe&) const = default;
};

constexpr std::size_t mostLevelsOfChain = 16;

/// Levels by a first target and the factor between one and the next: `120k` and 0.3 give 120k, 36k, 10,800 …
/// @throws InputError  if the first is no count or share, there are no levels or more than 16, or the factor is not
/// between 0 and 1
std::vector<LevelRecipe> levelsByRatio(const std::string& first, double ratio, std::size_t levels);

/// @throws InputError  naming what is wrong with the recipe
Recipe recipeFromJson(const std::string& text);
std::string recipeJson(const Recipe& recipe);
void requireSensible(const Recipe& recipe);

/// One level's recipe, as it stands in the recipe's list and in documents.
std::string levelRecipeJson(const LevelRecipe& level);
LevelRecipe levelRecipeFromJson(const std::string& text);

/// @throws FileError, InputError
Recipe readRecipe(const std::filesystem::path& file);
void writeRecipe(const Recipe& recipe, const std::filesystem::path& file);

}  // namespace um
