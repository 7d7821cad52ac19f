#include "chain/ClosestAt.h"

#include "chain/MendedLevel.h"
#include "chain/RestOfSource.h"

#include <algorithm>
#include <cmath>

namespace um {
namespace {

constexpr int mostTries = 6;
constexpr double closeEnough = 1.05;  // between what holds and what does not

// Where nothing has failed yet, each try is for so much less than the one before, and than there is at least.
constexpr double step = 0.85, leastGain = 0.95;

ClosestLevel searchClosest(const Mesh& source, std::size_t triangles, const ReduceSettings& settings,
                           const Progress& progress) {
    Reduction reduction(source, triangles, settings, progress.span(0, 0.05));
    reduction.reduceTo(triangles, progress.span(0.05, 0.15));
    ClosestLevel best;
    best.notes = reduction.notes();
    best.mesh = reduction.mesh(progress.span(0.15, 0.2));
    best.targetMet = best.mesh.triangleCount() <= triangles;
    const LevelMender mender(source, progress.span(0.2, 0.22));
    best.deviation = measureDeviation(mender.source(), best.mesh, {}, progress.span(0.22, 0.25));
    const double share = double(best.mesh.triangleCount()) / double(source.triangleCount());
    double within = usualMax(best.deviation, share), failed = 0;
    for (int i = 0; i < mostTries && settings.polish && best.targetMet; ++i) {
        const double off = best.deviation.max;
        if (off <= closeEnough * failed) break;
        within = failed > 0 ? std::sqrt(failed * off) : std::min(within, leastGain * off);
        if (!(within > 0)) break;
        const Progress span = progress.span(0.25 + 0.75 * i / mostTries, 0.25 + 0.75 * (i + 1) / mostTries);
        MeasuredLevel level = mender.make(reduction, within, false, span.span(0, 0.8));
        const bool holds = level.deviation.maxBound <= within;
        if (level.deviation.max < off && level.mesh.triangleCount() <= triangles) {
            // On the way few places were measured, and hopeless ones not proven.
            DeviationSettings measuring;
            measuring.allowed = holds ? within : 0;
            level.deviation = measureDeviation(mender.source(), level.mesh, measuring, span.span(0.8, 1));
            if (level.deviation.max < off) {
                best.mesh = std::move(level.mesh);
                best.deviation = std::move(level.deviation);
            }
        }
        if (!holds) failed = within;
        within *= step;
    }
    return best;
}

}  // namespace

ClosestLevel closestAt(const Mesh& source, std::size_t triangles, const ReduceSettings& settings,
                       const Progress& progress) {
    ReduceSettings patient = settings;
    patient.isPatient = true;
    const RestOfSource rest(source, triangles, patient, progress.span(0, 0.02));
    ClosestLevel closest = searchClosest(rest.mesh(), triangles, rest.settings(), progress.span(0.02, 0.95));
    rest.tellOfWhole(closest.mesh, closest.deviation, closest.notes, progress.span(0.95, 1));
    progress.at(1);
    return closest;
}

}  // namespace um
