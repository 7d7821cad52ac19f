#include "chain/ReduceToTarget.h"

#include "chain/FewestWithin.h"

namespace um {

TargetResult reduceToTarget(const Mesh& source, const Target& target, const Screen& screen,
                            const ReduceSettings& settings, const Progress& progress) {
    if (const auto count = targetTriangles(target, source.triangleCount())) {
        Reduced reduced = reduceMesh(source, *count, settings, progress);
        return {std::move(reduced.mesh), reduced.targetMet, std::nullopt, std::move(reduced.notes)};
    }
    Fewest fewest = fewestWithin(source, *allowedDeviation(target, screen, source.metresPerUnit), settings, progress);
    return {std::move(fewest.mesh), true, std::move(fewest.deviation), std::move(fewest.notes)};
}

}  // namespace um
