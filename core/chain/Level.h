#pragma once
/// A level of a chain: how it is made, what came of it, and what was measured of that.
#include "chain/BakeChoice.h"
#include "chain/LevelMaterials.h"
#include "measure/Deviation.h"
#include "reduce/Protect.h"

#include <memory>
#include <optional>
#include <string>

namespace um {

/// How one level is made, repeatable on another source.
struct LevelRecipe {
    std::string target;              ///< as it is typed
    bool fromLevelBefore = false;    ///< reduced from that one instead of from the source: faster, and less exact
    std::optional<Protect> protect;  ///< its own, instead of the chain's
    double guardStrength = 1;        ///< how much of the chain's keep and yield holds for it, 0 to 2; hold always does
    MaterialKeeping materials = MaterialKeeping::All;
    bool fitTextures = false;   ///< textures as large as their texels can be seen where the level comes in
    double switchDistance = 0;  ///< metres; 0 for where its proven deviation meets the allowed pixels

    bool operator==(const LevelRecipe&) const = default;
};

/// How far a level's outline is from its source's, from all around: the largest and the mean distance, in metres.
struct OutlineError {
    double max = 0, mean = 0;

    bool operator==(const OutlineError&) const = default;
};

struct Level {
    std::string name;
    LevelRecipe recipe;
    std::shared_ptr<const Mesh> mesh;
    bool targetMet = true;
    std::shared_ptr<const Deviation> evidence;  ///< against the source; null while it is not measured
    std::optional<OutlineError> outline;        ///< likewise

    bool isHandmade = false;          ///< came from a file, and is never made anew
    bool isLocked = false;            ///< stays as it is, whatever becomes of source and recipe
    std::optional<BakeFigures> bake;  ///< where its textures were baked from the source
    std::string made;                 ///< by what it came about (see howMade); empty where that is not known
};

/// A level of which nothing else is known.
inline Level makeLevel(std::string name, std::string target, std::shared_ptr<const Mesh> mesh,
                       std::shared_ptr<const Deviation> evidence = nullptr) {
    Level level;
    level.name = std::move(name);
    level.recipe.target = std::move(target);
    level.mesh = std::move(mesh);
    level.evidence = std::move(evidence);
    return level;
}

}  // namespace um
