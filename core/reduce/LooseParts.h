#pragma once
/// Steps before contraction: dropping small loose pieces, and joining near ones.
#include "base/Progress.h"
#include "mesh/Mesh.h"

#include <string>

namespace um {

/// The loose pieces that were dropped from a part.
struct DroppedPieces {
    std::string part;
    std::size_t pieces = 0;
    std::size_t triangles = 0;
    double largest = 0;  ///< the size of the largest, in the mesh's unit
};

/// Drops loose pieces whose box has a diagonal below `size`, the smallest first, until at most `enough` triangles are
/// left. The largest piece and pieces with held vertices are always kept. Vertices keep their indices.
/// @param held  for each vertex, or empty
std::vector<DroppedPieces> dropLoosePieces(Mesh& mesh, double size, std::size_t enough,
                                           const std::vector<std::uint8_t>& held);

/// Joins each vertex to the nearest one of another loose piece within `distance`. The surfaces meet there from then on,
/// and need not be manifold. Vertices keep their indices; joined ones are used by no triangle.
/// @returns the number of joined vertices
std::size_t joinNearPieces(Mesh& mesh, double distance, const std::vector<std::uint8_t>& held);

}  // namespace um
