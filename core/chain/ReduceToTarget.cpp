#include "chain/ReduceToTarget.h"

#include <algorithm>
#include <cmath>

namespace um {
namespace {

constexpr double closeEnough = 1.03;  // the factor between counts at which the search ends
constexpr int mostSteps = 12;

struct Attempt {
    std::size_t count = 0;
    double deviation = 0;
};

// The next count to try, between one that is too coarse and one that is fine enough. Over a surface the deviation falls
// about as the inverse of the count: a straight line in logarithms, kept off the ends so that a bad guess still halves
// the room.
std::size_t nextCount(const Attempt& coarse, const Attempt& fine, double allowed) {
    const double low = std::log(double(coarse.count));
    const double high = std::log(double(fine.count));
    double share = 0.5;
    if (coarse.deviation > allowed && fine.deviation > 0 && coarse.deviation > fine.deviation)
        share =
            (std::log(coarse.deviation) - std::log(allowed)) / (std::log(coarse.deviation) - std::log(fine.deviation));
    return std::size_t(std::lround(std::exp(low + std::clamp(share, 0.15, 0.85) * (high - low))));
}

TargetResult searchWithin(const Mesh& source, double allowed, const Progress& progress) {
    TargetResult best;
    Attempt fine{source.triangleCount(), 0};
    Attempt coarse{1, 0};
    // The first guess is low, where an attempt is cheap to measure.
    std::size_t count = std::max<std::size_t>(4, source.triangleCount() / 50);
    bool anything = false;
    for (int step = 0; step < mostSteps && count < fine.count && count > coarse.count; ++step) {
        // Nobody knows the number of steps beforehand: each takes an equal share of what is left.
        const double begin = 1 - std::pow(0.75, step);
        const double end = 1 - std::pow(0.75, step + 1);
        Reduced reduced = reduceMesh(source, {count}, progress.span(begin, begin + 0.6 * (end - begin)));
        Deviation deviation =
            measureDeviation(source, reduced.mesh, {}, progress.span(begin + 0.6 * (end - begin), end));
        const Attempt attempt{count, deviation.max};
        if (deviation.max <= allowed) {
            fine = {reduced.mesh.triangleCount(), deviation.max};
            best.mesh = std::move(reduced.mesh);
            best.deviation = std::move(deviation);
            anything = true;
            if (!reduced.targetMet) break;  // no further down than this
        } else {
            coarse = attempt;
        }
        if (double(fine.count) <= closeEnough * double(coarse.count)) break;
        count = coarse.count == 1
                    ? std::max<std::size_t>(
                          4, std::size_t(double(fine.count) * std::clamp(fine.deviation / allowed, 0.05, 0.6)))
                    : nextCount(coarse, fine, allowed);
    }
    if (!anything) {
        best.mesh = source;
        best.deviation = measureDeviation(source, source, {}, progress);
    }
    progress.at(1);
    return best;
}

}  // namespace

TargetResult reduceToTarget(const Mesh& source, const Target& target, const Screen& screen, const Progress& progress) {
    if (const auto count = targetTriangles(target, source.triangleCount())) {
        Reduced reduced = reduceMesh(source, {*count}, progress);
        return {std::move(reduced.mesh), reduced.targetMet, std::nullopt};
    }
    return searchWithin(source, *allowedDeviation(target, screen, source.metresPerUnit), progress);
}

}  // namespace um
