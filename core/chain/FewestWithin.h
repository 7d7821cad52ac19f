#pragma once
/// Searching for the fewest triangles whose proven deviation stays within a length.
#include "measure/Deviation.h"
#include "reduce/Reduce.h"

namespace um {

struct Fewest {
    Mesh mesh;
    Deviation deviation;  ///< proven
    ReduceNotes notes;
};

/// Counts are tried until one holds and one an eighth smaller does not. At each the source is reduced, what is too far
/// off is mended, and the whole is measured; where but a few places are too far off then, the error at them counts for
/// more and the source is reduced again. So it hardly hangs on single unlucky places, which decide about the largest
/// deviation of any one reduction. About ten reductions and measurements; the source itself where nothing coarser
/// holds.
/// @param allowed  in the mesh's unit
/// @param settings its `within` and `dearer` are not looked at
/// @throws MeshError, Cancelled
Fewest fewestWithin(const Mesh& source, double allowed, const ReduceSettings& settings, const Progress& progress);

}  // namespace um
