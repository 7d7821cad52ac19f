#pragma once
/// Laying a piece of surface flat with little stretch.
#include "base/Math.h"
#include "mesh/Mesh.h"

#include <array>
#include <limits>
#include <vector>

namespace um {

/// A connected piece of surface by itself, and where its vertices lie in the plane.
struct FlatPatch {
    std::vector<Vec3d> positions;
    std::vector<Triangle> triangles;  ///< indices of positions
    std::vector<Vec2d> flat;          ///< one for each position, in the same unit; empty until it is laid flat
};

/// How texels are spread over a surface. 1 is even; both are of directions and places alike.
struct Stretch {
    double mean = 1;   ///< the L2 stretch
    double worst = 1;  ///< the largest of a triangle's: of any two directions or places how many times as many texels
    double area = 0, flatArea = 0;
};

/// Source: Sander, Snyder, Gortler & Hoppe 2001, SIGGRAPH: the L2 norm of stretch, for a sheet of the area that the
/// surface has.
Stretch stretchOf(const FlatPatch& patch);

/// The sum over several.
/// @param sizes  by how much larger than the others each is laid out
Stretch stretchOf(const std::vector<const FlatPatch*>& patches, const std::vector<double>& sizes);

/// Lays the patch flat: angles first, then what is stretched is evened out. Never turns a triangle over, and no two lie
/// over each other.
/// @param goodStretch  the L2 stretch that is good enough to be left as it is
/// @param mostStretch  that there may be at all
/// @returns false, with `flat` empty, if the surface does not lie flat: closed, or too strongly curved
/// Source: Lévy, Petitjean, Ray & Maillot 2002, SIGGRAPH (least squares conformal maps, in the form of Mullen, Tong,
/// Alliez & Desbrun 2008); Rabinovich, Poranne, Panozzo & Sorkine-Hornung 2017, TOG 36(2) (scalable locally injective
/// mappings) for the symmetric Dirichlet energy.
bool layFlat(FlatPatch& patch, double goodStretch, double mostStretch = std::numeric_limits<double>::infinity());

}  // namespace um
