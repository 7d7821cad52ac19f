#pragma once
/// The visible change of a switch from one level to the next.
#include "base/Progress.h"
#include "mesh/Mesh.h"

namespace um {

/// In pixels of the picture at the switch; means over all directions, and the one where it is most.
struct Pop {
    double outline = 0;                         ///< that are covered by only one of the two
    double shading = 0;                         ///< covered by both, in visibly different shades of clay
    double covered = 0;                         ///< by either
    double worstOutline = 0, worstShading = 0;  ///< in the direction where both together are most

    /// What changes, as a share of what is covered.
    double share() const { return covered > 0 ? (outline + shading) / covered : 0; }
    double worst() const { return worstOutline + worstShading; }
};

/// The smallest visible step of lightness (CIELAB L*, of 100).
constexpr double visibleStep = 2;

/// Draws both as clay with their smooth normals from 26 directions, lit alike. Sizes are limited to pictures of 512
/// pixels; larger views are scaled up from that.
/// @throws Cancelled
Pop measurePop(const Mesh& before, const Mesh& after, double pixelsPerUnit, const Progress& progress);

}  // namespace um
