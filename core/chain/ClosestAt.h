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

/// The source is reduced to the count, patiently; then what is farthest off is mended again and again from there, each
/// time within another length, until a thirtieth less is too little. Where few places keep it from a length, the
/// source's error is made dearer there and it is reduced anew. The one whose largest deviation is least is the result.
/// Takes ten to forty times as long as the reduction alone; the root mean square rises by a few hundredths at most.
/// Where something is dropped first, the search goes by what is left.
/// @throws MeshError, Cancelled  as reduceMesh
ClosestLevel closestAt(const Mesh& source, std::size_t triangles, const ReduceSettings& settings,
                       const Progress& progress);

}  // namespace um
