#include "chain/ErrorCurve.h"

#include <algorithm>
#include <cmath>
#include <limits>

namespace um {
namespace {

// The proven deviation of a level divided by the largest sampled one, about.
constexpr double provenToFound = 1.08;

// The first halving to be measured: a sixteenth of the source.
constexpr std::size_t firstMeasured = 3;

// Over a surface the deviation falls about as the inverse of the count.
double countFor(double error, const ErrorCurve::Point& known) {
    return known.triangles * known.error / error;
}

}  // namespace

double ErrorCurve::trianglesFor(double error) const {
    for (std::size_t i = points.size(); i-- > 0;) {
        if (points[i].error > error) continue;
        if (i + 1 == points.size()) return points[i].triangles;
        const Point &fine = points[i], &coarse = points[i + 1];
        // Next to the source itself, which has no error, there is no straight line.
        if (!(fine.error > 0) || !(coarse.error > fine.error)) return fine.triangles;
        const double share = std::log(error / fine.error) / std::log(coarse.error / fine.error);
        return fine.triangles * std::pow(coarse.triangles / fine.triangles, share);
    }
    return points.empty() ? 0 : points.front().triangles;
}

double ErrorCurve::errorOf(double triangles) const {
    for (std::size_t i = 0; i + 1 < points.size(); ++i) {
        const Point &fine = points[i], &coarse = points[i + 1];
        if (triangles < coarse.triangles) continue;
        if (triangles >= fine.triangles) return fine.error;
        if (!(fine.error > 0)) return coarse.error;
        return fine.error * std::pow(coarse.error / fine.error, std::log(triangles / fine.triangles) /
                                                                    std::log(coarse.triangles / fine.triangles));
    }
    return points.empty() ? 0 : points.back().error;
}

HalvedSource::HalvedSource(const Mesh& source, const ReduceSettings& settings, const Progress& progress)
    : m_settings(settings), m_mender(source, progress.span(0, 0.2)) {
    Reduction reduction(source, 1, settings, progress.span(0.2, 0.4));
    const double steps = std::log2(double(source.triangleCount()));
    std::size_t before = source.triangleCount();
    while (before > 4) {
        progress.at(0.4 + 0.6 * std::min(1.0, double(m_reductions.size()) / steps));
        reduction.reduceTo(std::max<std::size_t>(1, before / 2), progress.span(0, 0));
        // The reduction is stuck.
        if (reduction.triangles() >= before) break;
        before = reduction.triangles();
        m_reductions.push_back(reduction);
    }
    m_points.resize(m_reductions.size());
    progress.at(1);
}

ErrorCurve::Point HalvedSource::at(std::size_t halving, const Progress& progress) {
    std::optional<ErrorCurve::Point>& point = m_points[halving];
    if (point) return *point;
    const Mesh level = m_reductions[halving].mesh(progress.span(0, 0.5));
    DeviationSettings quick;
    quick.samples = 50000;
    quick.proven = false;
    const Deviation deviation = measureDeviation(m_mender.source(), level, quick, progress.span(0.5, 1));
    const auto triangles = double(level.triangleCount());
    // Where a few places are off by more than usual, a search brings them closer.
    const double usual = usualMax(deviation, triangles / double(source().triangleCount()));
    point = {triangles, std::min(provenToFound * deviation.max, usual)};
    return *point;
}

Reduction HalvedSource::above(std::size_t triangles, const Progress& progress) const {
    for (std::size_t i = m_reductions.size(); i-- > 0;)
        if (m_reductions[i].triangles() >= triangles) return m_reductions[i];
    return Reduction(source(), 1, m_settings, progress);
}

double HalvedSource::guessCount(double error, const Progress& progress) {
    const auto all = double(source().triangleCount());
    if (m_points.empty()) return all;
    const auto pointAt = [&](std::size_t i) { return at(i, progress.span(0, 0)); };
    std::size_t fine = std::min(firstMeasured, m_points.size() - 1);
    while (fine > 0 && pointAt(fine).error > error) --fine;
    while (fine + 1 < m_points.size() && pointAt(fine + 1).error <= error) ++fine;
    const ErrorCurve::Point within = pointAt(fine);
    progress.at(1);
    if (within.error > error) return std::min(all, countFor(error, within));
    if (fine + 1 == m_points.size()) return within.triangles;
    return ErrorCurve{{within, pointAt(fine + 1)}}.trianglesFor(error);
}

ErrorCurve measureErrorCurve(HalvedSource& source, const ErrorCurve::Point& known, const Progress& progress) {
    // Coarser levels get a slightly larger error than the known one, so that a search for its error finds it.
    constexpr double aLittleMore = 1.001;
    ErrorCurve curve;
    double before = std::numeric_limits<double>::infinity();
    for (std::size_t i = source.halvings(); i-- > 0;) {
        const double share = 1 / double(source.halvings());
        const ErrorCurve::Point point = source.at(i, progress.span(1 - share * double(i + 1), 1 - share * double(i)));
        if (point.triangles >= known.triangles) break;
        // Errors may only grow as counts fall; a finer level measured worse takes the error of the coarser one.
        before = std::max(std::min(before, source.source().metresPerUnit * point.error), aLittleMore * known.error);
        // Two halvings have the same count where one could not be reached.
        if (!curve.points.empty() && point.triangles <= curve.points.back().triangles)
            curve.points.back().error = before;
        else
            curve.points.push_back({point.triangles, before});
    }
    const auto all = double(source.source().triangleCount());
    if (known.triangles < all) curve.points.push_back(known);
    curve.points.push_back({all, 0});
    std::reverse(curve.points.begin(), curve.points.end());
    progress.at(1);
    return curve;
}

}  // namespace um
