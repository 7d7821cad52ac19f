#pragma once
/// A chain as a plan finds it for a source, and the levels of such a chain.
#include "chain/FewestWithin.h"
#include "chain/Recipe.h"

#include <memory>
#include <optional>

namespace um {

struct PlannedChain {
    Recipe recipe;                ///< its levels, and no plan any more
    std::optional<Fewest> first;  ///< the first level, unless a total leaves no room for it
    std::vector<double> from;     ///< metres, for each level
    std::shared_ptr<FewestFinder> finder;
    std::vector<std::string> advice;
};

/// The first level is made for the nearest distance; the others are planned from its count. The finder keeps a
/// reference to `source`, which must stay as it is.
/// @param recipe  with a plan
/// @throws MeshError, InputError, Cancelled
PlannedChain planChain(const Mesh& source, Recipe recipe, const AssetSize& size, const Progress& progress);

/// "1px@0.7066m": the distance is rounded down, so that the pixels hold at the exact distance too.
std::string pixelTarget(double pixels, double distance);

/// How many triangles a planned level may have.
struct Room {
    std::size_t least = 1, most = 0;
};

/// Between its neighbours, and no more than the others leave of a total.
/// @param before   the levels that there are, at least one; it comes next
/// @param planned  triangles of all levels as they were planned
/// @param total    0 for any
Room roomFor(const std::vector<Level>& before, const std::vector<std::size_t>& planned, std::size_t total);

/// The fewest triangles that may come in there, if there is room for so many.
/// @throws MeshError, Cancelled
std::optional<Fewest> fewestFrom(double from, FewestFinder& finder, double metresPerUnit, const Recipe& recipe,
                                 const Room& room, const Progress& progress);

}  // namespace um
