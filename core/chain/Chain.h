#pragma once
/// A chain of levels: made from one source with shared work, each with the distance from which on it may stand in for
/// it.
#include "chain/Target.h"
#include "measure/Deviation.h"
#include "reduce/Reduce.h"

#include <filesystem>

namespace um {

/// What produces a chain, repeatable on another source: saved as JSON (docs/FORMATS.md).
struct Recipe {
    std::vector<std::string> targets;  ///< of the levels, the finest first, as they are typed
    Screen screen;
    double allowedPixels = 1;  ///< by which a level may be off where it is switched to
    Protect protect;
    double silhouetteWeight = 0;  ///< 0 to 1
    std::string dropLoose;        ///< as typed; empty drops none

    bool operator==(const Recipe&) const = default;
};

/// Levels by a first target and the factor between one and the next: `120k` and 0.3 give 120k, 36k, 10,800 …
/// @throws InputError  if the first is no count or share, there are no levels or more than 16, or the factor is not
/// between
///                     0 and 1
std::vector<std::string> targetsByRatio(const std::string& first, double ratio, std::size_t levels);

/// @throws InputError  naming what is wrong with the recipe
Recipe recipeFromJson(const std::string& text);
std::string recipeJson(const Recipe& recipe);

struct ChainLevel {
    std::string target;
    Mesh mesh;
    bool targetMet = true;
    Deviation deviation;
    /// Metres from which on its proven deviation covers no more than the allowed pixels; 0 for the first level, which
    /// is drawn from the nearest on, and never nearer than the level before.
    double switchDistance = 0;
    double screenSize =
        0;  ///< of the source's bounding sphere there, as a share of the screen's height; 1 for the first
};

struct Chain {
    std::vector<ChainLevel> levels;
    ReduceNotes notes;
};

/// Counts and shares are reached in one reduction, from the finest level to the coarsest; lengths and pixels, and
/// chains that drop loose parts, each from the source. Every level is measured against the source.
/// @throws InputError  if a target is none, or a level would not be coarser than the one before
/// @throws MeshError, Cancelled
Chain makeChain(const Mesh& source, const Recipe& recipe, const Progress& progress);

/// The chain as JSON: levels with their files, counts, switch distances, evidence and hashes.
/// @param files  of the levels, in their order
std::string manifestJson(const Chain& chain, const Recipe& recipe, const std::string& name, const Mesh& source,
                         const std::vector<std::filesystem::path>& files);

}  // namespace um
