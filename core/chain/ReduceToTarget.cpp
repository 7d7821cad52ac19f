#include "chain/ReduceToTarget.h"

#include "chain/Halvings.h"

#include <algorithm>
#include <cmath>

namespace um {
namespace {

constexpr double closeEnough = 1.03;  // the factor between counts at which the search ends
constexpr int mostSteps = 8;

// A reduction at some count, and what was measured of it.
struct Attempt {
    Mesh mesh;
    Deviation deviation;
};

// The next count to try, between one that is too coarse and one that is fine enough. Over a surface the deviation falls
// about as the inverse of the count: a straight line in logarithms, kept off the ends so that a bad guess still halves
// the room.
std::size_t nextCount(std::size_t coarseCount, double coarse, std::size_t fineCount, double fine, double allowed) {
    double share = 0.5;
    if (coarse > allowed && fine > 0 && coarse > fine)
        share = (std::log(coarse) - std::log(allowed)) / (std::log(coarse) - std::log(fine));
    const double low = std::log(double(coarseCount)), high = std::log(double(fineCount));
    return std::size_t(std::lround(std::exp(low + std::clamp(share, 0.15, 0.85) * (high - low))));
}

TargetResult searchWithin(const Mesh& source, double allowed, const ReduceSettings& settings,
                          const Progress& progress) {
    const std::vector<Reduction> places = halvings(source, settings, progress.span(0, 0.4));
    int measured = 0;
    const auto measure = [&](const Reduction& reduction) {
        // Nobody knows the number of measurements beforehand: each takes a share of what is left.
        const double begin = 1 - 0.6 * std::pow(0.82, measured), end = 1 - 0.6 * std::pow(0.82, measured + 1);
        ++measured;
        Attempt attempt{reduction.mesh(progress.span(begin, begin)), {}};
        attempt.deviation = measureDeviation(source, attempt.mesh, {}, progress.span(begin, end));
        return attempt;
    };
    // The coarsest halving that is fine enough. Number 0 is the source itself, which always is.
    std::size_t fine = 0, coarse = places.size() + 1;
    std::optional<Attempt> best;
    double coarseDeviation = 0;
    while (coarse - fine > 1) {
        const std::size_t middle = (fine + coarse) / 2;
        Attempt attempt = measure(places[middle - 1]);
        if (attempt.deviation.maxBound <= allowed) {
            fine = middle;
            best = std::move(attempt);
        } else {
            coarse = middle;
            coarseDeviation = attempt.deviation.maxBound;
        }
    }
    if (coarse <= places.size()) {
        const Reduction from = fine > 0 ? places[fine - 1] : Reduction(source, 1, settings, progress.span(0, 0));
        std::size_t fineCount = from.triangles(), coarseCount = places[coarse - 1].triangles();
        for (int step = 0; step<mostSteps&& double(fineCount)> closeEnough * double(coarseCount); ++step) {
            const double fineDeviation = best ? best->deviation.maxBound : 0;
            const std::size_t count = nextCount(coarseCount, coarseDeviation, fineCount, fineDeviation, allowed);
            if (count <= coarseCount || count >= fineCount) break;
            Reduction between = from;
            between.reduceTo(count, progress.span(0, 0));
            Attempt attempt = measure(between);
            if (attempt.deviation.maxBound <= allowed) {
                fineCount = count;
                best = std::move(attempt);
            } else {
                coarseCount = count;
                coarseDeviation = attempt.deviation.maxBound;
            }
        }
    }
    TargetResult result;
    if (!best) best = Attempt{source, measureDeviation(source, source, {}, progress)};
    if (!places.empty()) result.notes = places.front().notes();
    result.mesh = std::move(best->mesh);
    result.deviation = std::move(best->deviation);
    progress.at(1);
    return result;
}

}  // namespace

TargetResult reduceToTarget(const Mesh& source, const Target& target, const Screen& screen,
                            const ReduceSettings& settings, const Progress& progress) {
    if (const auto count = targetTriangles(target, source.triangleCount())) {
        Reduced reduced = reduceMesh(source, *count, settings, progress);
        return {std::move(reduced.mesh), reduced.targetMet, std::nullopt, std::move(reduced.notes)};
    }
    return searchWithin(source, *allowedDeviation(target, screen, source.metresPerUnit), settings, progress);
}

}  // namespace um
