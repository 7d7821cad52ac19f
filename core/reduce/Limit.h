#pragma once
/// A limit of the deviation at every place of a level.
#include "base/Progress.h"
#include "mesh/Mesh.h"

#include <functional>

namespace um {

/// A place where a level and its source are too far apart.
struct TooFar {
    Vec3d place = Vec3d::Zero();
    bool isOnSource = false;  ///< or on the level
};

/// Everything farther off than `within` (in the mesh's unit) is mended where possible, whatever other places lose by
/// it.
struct Limit {
    double within = 0;  ///< 0 for none: then the farthest places are mended as long as the rest loses little

    /// Returns the places that are still too far off. It is called again after they were mended, a few times at most.
    /// The level's shape is final at that time, its attributes are not. May be empty. Some vertices are reserved for
    /// these places.
    std::function<std::vector<TooFar>(const Mesh& level, const Progress& progress)> find = {};

    /// Whether reserved vertices that were not needed are left out of the level, or inserted elsewhere.
    bool leavesOutSpare = false;

    /// If no single step helps at a place, this many of the best steps are tried together with a second one.
    std::size_t ahead = 16;
};

}  // namespace um
