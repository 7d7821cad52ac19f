#pragma once
/// Reducing to whatever a target asks for, counts and tolerances alike.
#include "chain/Target.h"
#include "measure/Deviation.h"
#include "reduce/Reduce.h"

#include <optional>

namespace um {

struct TargetResult {
    Mesh mesh;
    bool targetMet = true;
    /// Measured on the way, where it was searched for.
    std::optional<Deviation> deviation;
    ReduceNotes notes;
};

/// Counts and shares are reduced to directly, or the closest level of the count is searched for (closestAt). For a
/// length, and for pixels at a distance, the count is searched for: the fewest triangles (to about a seventh) whose
/// proven deviation, measured both ways, stays within it (fewestWithin).
/// @param isThorough  whether for a count or share the closest level is searched for
/// @throws MeshError, Cancelled
TargetResult reduceToTarget(const Mesh& source, const Target& target, const Screen& screen,
                            const ReduceSettings& settings, bool isThorough, const Progress& progress);

}  // namespace um
