#pragma once
/// A level of a chain: its recipe, its mesh and its measurements.
#include "chain/BakeChoice.h"
#include "chain/LevelMaterials.h"
#include "measure/Deviation.h"
#include "reduce/Protect.h"

#include <memory>
#include <optional>
#include <string>

namespace um {

/// The recipe of one level, usable on other sources.
struct LevelRecipe {
    std::string target;              ///< as it is typed
    bool fromLevelBefore = false;    ///< reduced from that one instead of from the source: faster, and less exact
    std::optional<Protect> protect;  ///< its own, instead of the chain's
    double guardStrength = 1;        ///< factor of the chain's keep and yield guards, 0 to 2; hold is not scaled
    MaterialKeeping materials = MaterialKeeping::All;
    bool fitTextures = false;   ///< texture size fitted to the distance where the level comes in
    double switchDistance = 0;  ///< metres; 0 for where its proven deviation meets the allowed pixels

    bool operator==(const LevelRecipe&) const = default;
};

/// The outline difference from all directions: largest and mean distance, in metres.
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

    bool isHandmade = false;          ///< read from a file, and never remade
    bool isLocked = false;            ///< not remade when source or recipe change
    std::optional<BakeFigures> bake;  ///< where its textures were baked from the source
    std::string made;                 ///< names its inputs (see howMade); empty if unknown
};

/// A level with a name, a target and a mesh only.
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
