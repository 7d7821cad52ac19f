#pragma once
/// Searching for the fewest triangles whose proven deviation stays within a length.
#include "measure/Deviation.h"
#include "reduce/Reduce.h"

namespace um {

struct Fewest {
    Mesh mesh;
    Deviation deviation;  ///< from the whole source, proven
    ReduceNotes notes;
};

/// Counts are tried until one holds and one a seventh smaller does not. At each the source is reduced, what is too far
/// off is mended, and the whole is measured; the places that are too far off then are mended one by one, and where a
/// few cannot be, the error at them counts for more and the source is reduced again. So it hardly hangs on single
/// unlucky places, which decide about the largest deviation of any one reduction. About ten reductions; the source
/// itself where nothing coarser holds. Where something is dropped first, it is what is left that keeps to the length.
/// @param allowed  in the mesh's unit
/// @param settings its `dearer` is not looked at
/// @throws MeshError, Cancelled
Fewest fewestWithin(const Mesh& source, double allowed, const ReduceSettings& settings, const Progress& progress);

}  // namespace um
