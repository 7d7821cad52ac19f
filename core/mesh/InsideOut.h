#pragma once
/// Closed pieces whose triangles face inwards, as after mirroring without reversing the winding.
#include "base/Progress.h"
#include "mesh/EdgeWalk.h"

namespace um {

/// For each piece whether it is closed, its triangles agree, and they face inwards though they should not: the wall of
/// a cavity, which lies within another closed piece, faces inwards rightly. Piece within piece is told by the crossings
/// of a line (Haines 1994, Graphics Gems IV: point in polygon strategies).
/// @throws Cancelled
std::vector<std::uint8_t> insideOutPieces(const Mesh& mesh, const Pieces& pieces, const EdgeFaults& edges,
                                          const Progress& progress);

}  // namespace um
