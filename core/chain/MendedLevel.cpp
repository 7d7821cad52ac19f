#include "chain/MendedLevel.h"

#include <algorithm>
#include <cmath>

namespace um {
namespace {

// To see whether all is within a length, vertices and what the proof asks for are enough.
constexpr std::size_t fewSamples = 100'000;

// Nor are all places looked for, to be mended, where so many are known.
constexpr std::size_t mayBeMended = 24;

// Of the demo's assets levels with a twentieth of the triangles came to 1.9, levels with a two hundredth to 1.6.
double usualMaxToP99(double shareOfSource) {
    return std::clamp(2.9 + 0.75 * std::log10(shareOfSource), 1.5, 3.5);
}

}  // namespace

LevelMender::LevelMender(const Mesh& source, const Progress& progress) : m_source(source, progress) {}

Deviation LevelMender::measure(const Mesh& level, double within, const Progress& progress) const {
    DeviationSettings settings;
    settings.proven = false;
    settings.samples = fewSamples;
    settings.allowed = within;
    Deviation deviation = measureDeviation(m_source, level, settings, progress.span(0, 0.3));
    settings.proven = true;
    if (placesFartherThan(within, deviation) <= mayBeMended)
        deviation = measureDeviation(m_source, level, settings, progress.span(0.3, 1));
    return deviation;
}

template <class AnyReduction>
MeasuredLevel LevelMender::makeOf(AnyReduction&& reduction, double within, const MendChoice& choice,
                                  const Progress& progress) const {
    struct Seen {
        std::vector<Triangle> triangles;
        std::vector<Vec3f> positions;
        Deviation deviation;
    };
    Seen last;
    Limit limit;
    limit.within = within;
    limit.leavesOutSpare = choice.leavesOutSpare;
    limit.ahead = choice.ahead;
    limit.find = [&](const Mesh& level, const Progress& span) {
        last = {level.triangles, level.positions, measure(level, within, span)};
        std::vector<TooFar> places;
        if (last.deviation.maxBound <= within || placesFartherThan(within, last.deviation) > choice.mostPlaces)
            return places;
        for (const FarPlace& far : last.deviation.farPlaces)
            if (far.distance > nearlyTooFar * within) places.push_back({far.place, far.isOnSource});
        return places;
    };
    Mesh mesh = std::forward<AnyReduction>(reduction).mesh(progress.span(0, 0.9), limit);
    // Not if there was nothing to polish, or it was reduced once more, or something was done after that.
    if (last.triangles != mesh.triangles || last.positions != mesh.positions)
        last.deviation = measure(mesh, within, progress.span(0.9, 1));
    return {std::move(mesh), std::move(last.deviation)};
}

MeasuredLevel LevelMender::make(const Reduction& reduction, double within, const MendChoice& choice,
                                const Progress& progress) const {
    return makeOf(reduction, within, choice, progress);
}

MeasuredLevel LevelMender::make(Reduction&& reduction, double within, const MendChoice& choice,
                                const Progress& progress) const {
    return makeOf(std::move(reduction), within, choice, progress);
}

std::size_t placesFartherThan(double within, const Deviation& deviation) {
    return std::size_t(std::count_if(deviation.farPlaces.begin(), deviation.farPlaces.end(),
                                     [&](const FarPlace& far) { return far.distance > within; }));
}

// What lies on its source all over, as flat surfaces do, tells nothing about the rest.
double usualMax(const Deviation& deviation, double shareOfSource) {
    constexpr double hardlyOff = 0.01;
    const double rest = 1 - deviation.distribution.shareWithin(hardlyOff * deviation.max);
    return usualMaxToP99(shareOfSource) * deviation.distribution.absolutePercentile(1 - 0.01 * rest);
}

}  // namespace um
