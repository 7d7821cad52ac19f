#pragma once
/// The corridor: the range of viewing distances of a level, between visible deviation (near) and triangles too small
/// for the graphics card (far); and the level of a chain that is drawn at each distance.
#include "chain/Level.h"
#include "chain/Target.h"

#include <vector>

namespace um {

/// Settings of level switching.
struct Switching {
    double allowedPixels = 1;  ///< allowed deviation of a level where it comes in
    double floorPixels = 4;    ///< a triangle that covers fewer is wasted
    double hysteresis = 0.1;   ///< on the way back a level is kept for this share of its distance
    double crossFade = 0;      ///< share of the distance over which two levels are dithered
    double gonePixels = 0;     ///< the asset is no longer drawn when it stands lower than this; 0 always draws it

    bool operator==(const Switching&) const = default;
};

/// @throws InputError  saying what would be right
void requireSensible(const Switching& switching);

/// Sizes of an asset; lengths in metres.
struct AssetSize {
    double height = 0;  ///< upright
    double diagonal = 0;
    double coveredArea = 0;  ///< square metres of its picture, the mean over all directions

    /// How tall it stands on a screen, in pixels.
    double pixelsTall(const Screen& screen, double distance) const { return screen.pixels(height, distance); }
    /// The bounding sphere's diameter as a share of the screen's height.
    double screenSize(const Screen& screen, double distance) const {
        return screen.pixels(diagonal, distance) / screen.heightPixels;
    }
    /// The distance at which it fills the screen from top to bottom.
    double nearest(const Screen& screen) const { return screen.distance(height, screen.heightPixels); }
    /// The distance from which on it is not drawn; infinite if it is always drawn.
    double gone(const Screen& screen, const Switching& switching) const;
};

/// Covered area: the mean of pictures from 48 evenly spread directions at 256 pixels.
AssetSize sizeOf(const Mesh& source, const Progress& progress);

/// Cost and error of a level; lengths in metres.
struct LevelCost {
    double facing = 0;            ///< triangles that face the viewer, the mean over all directions
    std::optional<double> error;  ///< the proven deviation; nothing while it is not measured
    std::optional<double> outlineError;
    double switchDistance = 0;  ///< set by hand; 0 where its error decides

    /// Pixels that each triangle has, where so much is covered.
    double pixelsPerTriangle(const AssetSize& asset, const Screen& screen, double distance) const;
    /// The distance from which on its triangles are smaller than the floor.
    double wastedFrom(const AssetSize& asset, const Screen& screen, const Switching& switching) const;
    /// The distance from which on its proven error is within the allowed pixels.
    double unnoticedFrom(const Screen& screen, const Switching& switching) const;
};

/// Triangles that face the viewer, the mean over all directions: half of all, and all of double-sided materials.
double facingTriangles(const Mesh& mesh);

LevelCost costOf(const Level& level);

/// Switch distances of a chain, in metres.
struct Band {
    std::vector<double> from;  ///< of each level, rising; the first from 0 on
    double gone = 0;           ///< where drawing ends; infinite if it never does

    static constexpr int nothing = -1;

    /// The level drawn at a distance, or nothing; not regarding where one comes from.
    int at(double distance) const;
    /// The level after `before`, with hysteresis: on the way back a level is kept a little longer, so that it does not
    /// flicker at a switch distance.
    int following(int before, double distance, double hysteresis) const;
    /// The cross-fade from `level` to the next one around their switch distance, 0 to 1.
    double fade(std::size_t level, double distance, double width) const;
};

/// Each level comes in at its manual distance, or else where its proven error meets the allowed pixels, but not before
/// the level before it. Levels without a known error come in directly after the level before.
Band bandOf(const std::vector<LevelCost>& levels, const AssetSize& asset, const Screen& screen,
            const Switching& switching);

}  // namespace um
