#pragma once
/// Searching for the fewest triangles whose proven deviation stays within a length.
#include "chain/ErrorCurve.h"
#include "chain/RestOfSource.h"

namespace um {

struct Fewest {
    Mesh mesh;
    Deviation deviation;  ///< from the whole source, proven
    ReduceNotes notes;
};

enum class SearchEffort {
    Quick,   ///< for planning: at the end the smallest count that holds is at most 1.5 times the largest that fails
    Careful  ///< the same within 1.15 times, with more mending at each count
};

/// A source made ready for several searches. The first count is guessed from measured halvings of the source. At each
/// count the source is reduced, places beyond the length are mended, and the deviation is proven. Where a few places
/// cannot be mended, the error at them counts for more and the source is reduced again. Counts rise until one holds;
/// then counts between it and the largest that failed are tried, until both are close. The result does not depend on
/// earlier searches.
class FewestFinder {
public:
    /// Keeps a reference to `source`, which must stay as it is.
    /// @param settings  its `dearer` is not looked at
    /// @throws MeshError, Cancelled
    FewestFinder(const Mesh& source, const ReduceSettings& settings, const Progress& progress);

    /// The source itself if no coarser level holds. Dropped pieces do not count: the rest keeps to the length.
    /// @param allowed  in the mesh's unit
    /// @throws MeshError, Cancelled
    Fewest within(double allowed, SearchEffort effort, const Progress& progress);

    /// The source without the pieces that the settings drop.
    HalvedSource& halved() { return m_halved; }

private:
    RestOfSource m_rest;
    HalvedSource m_halved;
};

/// One careful search.
/// @throws MeshError, Cancelled
Fewest fewestWithin(const Mesh& source, double allowed, const ReduceSettings& settings, const Progress& progress);

}  // namespace um
