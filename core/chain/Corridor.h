#pragma once
/// The corridor: over viewing distance, the room between what the eye would notice of a level and what the graphics
/// card would waste on it; and which level of a chain is drawn where.
#include "chain/Level.h"
#include "chain/Target.h"

#include <vector>

namespace um {

/// What decides when levels are drawn.
struct Switching {
    double allowedPixels = 1;  ///< by which a level may be off where it comes in
    double floorPixels = 4;    ///< a triangle that covers fewer is wasted
    double hysteresis = 0.1;   ///< coming back, a level goes this share of its distance nearer than it came
    double crossFade = 0;      ///< share of the distance over which two levels are dithered into one another
    double gonePixels = 0;     ///< the asset is no longer drawn when it stands lower than this; 0 always draws it

    bool operator==(const Switching&) const = default;
};

/// @throws InputError  saying what would be right
void requireSensible(const Switching& switching);

/// What of an asset counts for its corridor; lengths in metres.
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
    /// Where it fills the screen from top to bottom: nearer than that only a part of it is seen.
    double nearest(const Screen& screen) const { return screen.distance(height, screen.heightPixels); }
    /// Where it is no longer drawn; infinite if it always is.
    double gone(const Screen& screen, const Switching& switching) const;
};

/// Its picture is drawn from 48 sides, spread evenly, at 256 pixels.
AssetSize sizeOf(const Mesh& source, const Progress& progress);

/// What of a level counts for it; lengths in metres.
struct LevelCost {
    double facing = 0;            ///< triangles that face the viewer, the mean over all directions
    std::optional<double> error;  ///< the proven deviation; nothing while it is not measured
    std::optional<double> outlineError;
    double switchDistance = 0;  ///< set by hand; 0 where its error decides

    /// Pixels that each triangle has, where so much is covered.
    double pixelsPerTriangle(const AssetSize& asset, const Screen& screen, double distance) const;
    /// From here on its triangles are below the floor.
    double wastedFrom(const AssetSize& asset, const Screen& screen, const Switching& switching) const;
    /// From here on its proven error stays within what is allowed.
    double unnoticedFrom(const Screen& screen, const Switching& switching) const;
};

/// Of triangles, half face the viewer, taken over all directions; those of double-sided materials always do.
double facingTriangles(const Mesh& mesh);

LevelCost costOf(const Level& level);

/// Which level is drawn where, in metres.
struct Band {
    std::vector<double> from;  ///< of each level, rising; the first from 0 on
    double gone = 0;           ///< where drawing ends; infinite if it never does

    static constexpr int nothing = -1;

    /// The level drawn at a distance, or nothing; not regarding where one comes from.
    int at(double distance) const;
    /// The same for one who saw `before` so far: what came when going away goes only a little nearer, so that standing
    /// at a joint does not make it flicker.
    int following(int before, double distance, double hysteresis) const;
    /// How far the next level has come in, 0 to 1, where `level` is drawn and the next one is dithered in around the
    /// joint.
    double fade(std::size_t level, double distance, double width) const;
};

/// Each level comes in where it was set to, else where its proven error meets the allowed pixels, and never before the
/// one before it. Levels whose error is not known yet come in right after those before them.
Band bandOf(const std::vector<LevelCost>& levels, const AssetSize& asset, const Screen& screen,
            const Switching& switching);

}  // namespace um
