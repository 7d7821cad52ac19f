#pragma once
/// Searching for the level of a count that is closest to its source.
#include "measure/Deviation.h"
#include "reduce/Reduce.h"

namespace um {

struct ClosestLevel {
    Mesh mesh;
    Deviation deviation;    ///< from the whole source, proven
    bool targetMet = true;  ///< as in Reduced
    ReduceNotes notes;
};

/// The source is reduced to the count with patient polish. Then it is mended to smaller and smaller lengths, until what
/// holds and what fails differ by less than 3 %. If at most ten places prevent a length, the error of the source is
/// weighted more there, and the source is reduced again. The result is the level with the least largest deviation.
/// Takes ten to forty times as long as the reduction alone; the RMS rises by a few per cent at most. If something is
/// dropped first, the search measures against what is left.
/// @throws MeshError, Cancelled  as reduceMesh
ClosestLevel closestAt(const Mesh& source, std::size_t triangles, const ReduceSettings& settings,
                       const Progress& progress);

}  // namespace um
