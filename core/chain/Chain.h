#pragma once
/// A chain of levels of one source, with switch distances, made with shared work.
#include "chain/Recipe.h"
#include "measure/Silhouette.h"

namespace um {

struct Chain {
    std::vector<Level> levels;
    AssetSize size;  ///< of the source
    Band band;
    std::vector<std::string> notes;   ///< what the user should know, a sentence each
    std::vector<std::string> advice;  ///< useless levels and wasted triangles
};

/// The source of a chain.
struct ChainSource {
    const Mesh& mesh;
    std::string hash;  ///< of the file or the shape: tells whether levels were made from this source
};

/// Makes the levels of a recipe or of a plan. Counts and shares with equal settings share one reduction, from the
/// finest level to the coarsest. Lengths, pixels, and chains that drop loose pieces start from the source for each
/// level. Every level is measured against the source.
/// @param ready  levels that are there already, in the recipe's order, and stay as they are; null where one is to be
///               made. Empty for none.
/// @throws InputError  if a target is none, or a level made here would not be coarser than the one before
/// @throws MeshError, Cancelled
Chain makeChain(const ChainSource& source, const Recipe& recipe, const std::vector<const Level*>& ready,
                const Progress& progress);

/// Names all inputs of a level: source, settings, target. A level is stale if this differs from when it was made.
/// @param bake         how it is baked, if it is
/// @param levelBefore  the name of the inputs of the level before
/// @param comesIn      metres; where its textures are fitted, half or twice that makes another size of them
std::string howMade(const ChainSource& source, const Care& care, const Screen& screen, const BakeChoice& bake,
                    const LevelRecipe& recipe, const std::string& levelBefore, double comesIn);

/// The outlines of a source for measureOutlineError: from 26 directions at up to 512 pixels.
SourceOutlines outlinesOf(const ContourMesh& source, const Progress& progress);

/// The outline difference of a level from these directions.
OutlineError measureOutlineError(const SourceOutlines& source, const Mesh& level, const Progress& progress);

}  // namespace um
