#pragma once
/// Reduction targets as typed: `12k`, `1.2%`, `0.5mm`, `1px@24m`; and the screen that pixels are counted
/// on.
#include "base/Units.h"

#include <string>
#include <string_view>
#include <variant>

namespace um {

/// The player's screen, from which all pixel figures follow.
struct Screen {
    int heightPixels = 1440;
    double fieldOfViewDegrees = 50;  ///< vertical

    bool operator==(const Screen&) const = default;

    /// How many pixels a length covers at a distance (both in the same unit).
    double pixels(double length, double distance) const;
    /// The length that covers so many pixels at a distance.
    double length(double pixels, double distance) const;
    /// The distance at which a length covers so many pixels.
    double distance(double length, double pixels) const;
};

/// `1440px,50deg`, `1440 px · 50°`, `1080px`: the height from 16 to 32768 pixels, the field of view from 1 to 170
/// degrees.
/// @throws InputError  saying what would be right
Screen parseScreen(std::string_view text);

/// "1440 px · 50°"
std::string formatScreen(const Screen& screen);

struct CountTarget {
    std::size_t triangles;
};
struct ShareTarget {
    double share;           ///< of the source's triangles, 0 to 1
    bool ofBefore = false;  ///< of those of the level before, in a chain
};
struct LengthTarget {
    Length deviation;  ///< the largest deviation allowed
};
struct PixelTarget {
    double pixels;
    Length distance;
};

using Target = std::variant<CountTarget, ShareTarget, LengthTarget, PixelTarget>;

/// In a chain also `30% of before`.
/// @throws InputError  saying what would be right
Target parseTarget(std::string_view text);

/// The count that a count or share target asks of a source; nothing for the others, which take measuring.
/// @param before  triangles of the level before; the source's where there is none
std::optional<std::size_t> targetTriangles(const Target& target, std::size_t sourceTriangles,
                                           std::optional<std::size_t> before = {});

/// The largest deviation, in the mesh's unit, that a length or pixel target allows; nothing for the others.
std::optional<double> allowedDeviation(const Target& target, const Screen& screen, double metresPerUnit);

/// The size, in the mesh's unit, that `5mm`, `0.2%` (of the whole's diagonal) or `3px@24m` comes to.
/// @throws InputError  saying what would be right
double parseSize(std::string_view text, double diagonal, const Screen& screen, double metresPerUnit);

/// A target in words: "12,000 triangles, 1.15 % of the source".
std::string describeTarget(const Target& target, std::size_t sourceTriangles, const Screen& screen,
                           double metresPerUnit);

}  // namespace um
