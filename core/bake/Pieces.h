#pragma once
/// Nearly flat pieces of a surface with smooth borders, to make charts of.
#include "bake/Neighbours.h"
#include "base/Progress.h"

namespace um {

/// Joins triangles to pieces that stay flat and round, then evens out their borders; strips that are only a few
/// triangles wide dissolve in what lies beside them.
/// @returns the piece of each triangle; a piece may be in several parts
/// @throws Cancelled
/// Source: Merriman, Bence & Osher 1994, J. Comput. Phys. 112 (borders that move by diffusion and a vote), for many
/// pieces as in Esedoglu & Otto 2015, Comm. Pure Appl. Math. 68(5).
std::vector<std::uint32_t> nearlyFlatPieces(const Neighbours& around, const Progress& progress);

}  // namespace um
