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
    /// Measured on the way, where the target is a tolerance.
    std::optional<Deviation> deviation;
    ReduceNotes notes;
};

/// Counts and shares are reduced to directly. For a length, and for pixels at a distance, the count is searched for:
/// the fewest triangles (to about an eighth) whose proven deviation, measured both ways, stays within it
/// (fewestWithin).
/// @throws MeshError, Cancelled
TargetResult reduceToTarget(const Mesh& source, const Target& target, const Screen& screen,
                            const ReduceSettings& settings, const Progress& progress);

}  // namespace um
