#pragma once
/// What the Sightline shows of a chain.
#include "chain/Corridor.h"
#include "measure/Pop.h"

#include <optional>
#include <QString>
#include <vector>

namespace um::app {

struct SightlineLevel {
    QString name;
    std::size_t triangles = 0;
    LevelCost cost;
};

struct SightlineChain {
    std::vector<SightlineLevel> levels;
    AssetSize size;
    Switching switching;
    Band band;
    std::vector<std::optional<Pop>> pops;  ///< where each level takes over; nothing for the first, and while unknown

    /// How many joints the band has: one before each level but the first, and one where drawing ends.
    std::size_t jointCount() const { return levels.size(); }
    /// Where a joint is: `joint` is the level that comes in there, or the number of levels for the end.
    double jointAt(std::size_t joint) const { return joint < levels.size() ? band.from[joint] : band.gone; }
};

/// Viewing distance along the strip, logarithmic.
struct SightlineScale {
    double nearest = 0, farthest = 0;  ///< metres
    double left = 0, right = 0;        ///< pixels

    double xOf(double metres) const {
        const double share = std::log(metres / nearest) / std::log(farthest / nearest);
        return left + share * (right - left);
    }
    double metresAt(double x) const {
        const double share = std::clamp((x - left) / (right - left), 0.0, 1.0);
        return nearest * std::pow(farthest / nearest, share);
    }
    /// The place of a distance that may lie beyond the strip.
    double xWithin(double metres) const { return xOf(std::clamp(metres, nearest, farthest)); }
};

}  // namespace um::app
