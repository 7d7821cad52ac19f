#pragma once
/// What can go before any edge is contracted: small loose pieces, and heaps of bits that may become one surface.
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
/// left. The largest piece of all stays in any case, and so does what has a held vertex.
/// Vertices keep their numbers.
/// @param held  for each vertex, or empty
std::vector<DroppedPieces> dropLoosePieces(Mesh& mesh, double size, std::size_t enough,
                                           const std::vector<std::uint8_t>& held);

/// Joins each vertex to the nearest one of another loose piece within `distance`. The surfaces meet there from then on,
/// and need not be manifold. Vertices keep their numbers; those that were joined away are used by no triangle.
/// @returns how many were joined
std::size_t joinNearPieces(Mesh& mesh, double distance, const std::vector<std::uint8_t>& held);

}  // namespace um
