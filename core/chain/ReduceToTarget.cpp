#include "chain/ReduceToTarget.h"

#include "chain/ClosestAt.h"
#include "chain/FewestWithin.h"

namespace um {

TargetResult reduceToTarget(const Mesh& source, const Target& target, const Screen& screen,
                            const ReduceSettings& settings, bool isThorough, const Progress& progress) {
    if (const auto count = targetTriangles(target, source.triangleCount())) {
        if (isThorough && *count < source.triangleCount()) {
            ClosestLevel closest = closestAt(source, *count, settings, progress);
            return {std::move(closest.mesh), closest.targetMet, std::move(closest.deviation), std::move(closest.notes)};
        }
        Reduced reduced = reduceMesh(source, *count, settings, progress);
        return {std::move(reduced.mesh), reduced.targetMet, std::nullopt, std::move(reduced.notes)};
    }
    Fewest fewest = fewestWithin(source, *allowedDeviation(target, screen, source.metresPerUnit), settings, progress);
    return {std::move(fewest.mesh), true, std::move(fewest.deviation), std::move(fewest.notes)};
}

}  // namespace um
