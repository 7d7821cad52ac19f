#pragma once
/// A chain of levels: made from one source with shared work, each with the distance from which on it may stand in for
/// it.
#include "chain/Recipe.h"
#include "measure/Silhouette.h"

namespace um {

struct Chain {
    std::vector<Level> levels;
    AssetSize size;  ///< of the source
    Band band;
    std::vector<std::string> notes;   ///< what happened besides, a sentence each
    std::vector<std::string> advice;  ///< what not to ship, and what is wasted
};

/// What the levels of a chain come from.
struct ChainSource {
    const Mesh& mesh;
    std::string hash;  ///< of the file or the shape, by which levels know whether they are of this source
};

/// Makes the levels of a recipe, or those that a plan finds for it. Counts and shares that are treated alike are
/// reached in one reduction, from the finest level to the coarsest; lengths and pixels, and chains that drop loose
/// pieces, each from the source. Every level is measured against the source.
/// @param ready  levels that are there already, in the recipe's order, and stay as they are; null where one is to be
///               made. Empty for none.
/// @throws InputError  if a target is none, or a level made here would not be coarser than the one before
/// @throws MeshError, Cancelled
Chain makeChain(const ChainSource& source, const Recipe& recipe, const std::vector<const Level*>& ready,
                const Progress& progress);

/// By what a level comes about: source, settings, target. It is stale when this has changed since it was made.
/// @param bake         how it is baked, if it is
/// @param levelBefore  how that one was made
/// @param comesIn      metres; where its textures are fitted, half or twice that makes another size of them
std::string howMade(const ChainSource& source, const Care& care, const Screen& screen, const BakeChoice& bake,
                    const LevelRecipe& recipe, const std::string& levelBefore, double comesIn);

/// A source as measureOutlineError looks at it: from 26 sides at up to 512 pixels.
SourceOutlines outlinesOf(const ContourMesh& source, const Progress& progress);

/// How far a level's outline is off, from there.
OutlineError measureOutlineError(const SourceOutlines& source, const Mesh& level, const Progress& progress);

}  // namespace um
