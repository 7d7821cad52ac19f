#pragma once
/// How close to its source every place of a level is to come.
#include "base/Progress.h"
#include "mesh/Mesh.h"

#include <functional>

namespace um {

/// A place where a level and its source are too far apart.
struct TooFar {
    Vec3d place = Vec3d::Zero();
    bool isOnSource = false;  ///< or on the level
};

/// In the mesh's unit. Where the polish can, everything farther off than that is mended, whatever the rest pays for it.
struct Limit {
    double within = 0;  ///< 0 for none: then what is farthest off is mended, as far as the rest pays little

    /// Says where a level is still too far off, and nothing if it is not; it is called again after what it has said
    /// has been mended, a few times at most. The level's shape is finished by then, its attributes are not. May be
    /// empty. Some vertices are kept for what it says.
    std::function<std::vector<TooFar>(const Mesh& level, const Progress& progress)> find = {};

    /// Whether vertices that were kept for that and are not needed are left out of the level, or put in where they do
    /// no harm.
    bool leavesOutSpare = false;

    /// Where no step helps at a place that was found, so many of the best are tried with another one after each.
    std::size_t ahead = 16;
};

}  // namespace um
