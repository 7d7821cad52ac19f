#include "base/Sorted.h"
#include "reduce/Polisher.h"

#include <cmath>

namespace um {

void Polisher::connect() {
    m_around = findVertexTriangles(m_level.triangles, m_level.vertexCount());
}

void Polisher::set(Sample& sample, const Closest& closest) {
    sample.triangle = closest.triangle;
    sample.second = float(closest.at.second);
    sample.third = float(closest.at.third);
    sample.distance = float(std::sqrt(closest.squaredDistance));
}

void Polisher::follow(Sample& sample) const {
    set(sample, walkCloser(m_level, m_around, placeOf(sample), sample.triangle));
}

// Some in a thousand seem to be that far off. Of those, many are not: their walk has ended behind a fold. They would
// pull hardest, and hide from insertion where the level is truly off.
void Polisher::freeStuckSamples(const Progress& progress) {
    constexpr double suspicious = 4;  // times as far as on average
    sumUpErrors();
    const auto least = float(suspicious * std::sqrt(meanSquared()));
    parallelRanges(m_samples.size(), [&](std::size_t begin, std::size_t end) {
        progress.check();
        for (std::size_t s = begin; s < end; ++s)
            if (Sample& sample = m_samples[s]; sample.distance > least)
                set(sample, searchAround(m_level, m_around, placeOf(sample), sample.triangle));
    });
}

// From where contraction has brought the vertex of the source.
void Polisher::findFirstClosest(const Progress& progress) {
    const std::vector<Sphere> spheres = spheresOf(m_level);
    parallelRanges(m_samples.size(), [&](std::size_t begin, std::size_t end) {
        progress.check();
        for (std::size_t s = begin; s < end; ++s)
            set(m_samples[s], walkFromVertex(m_level, m_around, spheres, placeOf(m_samples[s]),
                                             m_provenance.destinations[m_samples[s].vertex]));
    });
}

void Polisher::findClosest(const Progress& progress) {
    if (!m_isPlaced)
        findFirstClosest(progress);
    else if (!m_isCurrent)
        parallelRanges(m_samples.size(), [&](std::size_t begin, std::size_t end) {
            progress.check();
            for (std::size_t s = begin; s < end; ++s) follow(m_samples[s]);
        });
    freeStuckSamples(progress);
    m_isPlaced = m_isCurrent = true;
    groupSamples();
}

// Those at triangles that have changed alone.
void Polisher::findClosestOfChanged(const Progress& progress) {
    if (m_changed.empty()) return;
    sortUnique(m_changed);
    const std::size_t before = m_samplesAt.count();  // there are more triangles now
    parallelRanges(
        m_changed.size(),
        [&](std::size_t begin, std::size_t end) {
            progress.check();
            for (std::size_t c = begin; c < end && m_changed[c] < before; ++c)
                for (const std::uint32_t s : m_samplesAt.of(m_changed[c])) follow(m_samples[s]);
        },
        64);
    freeStuckSamples(progress);
    groupSamples();
}

// Whether a sample at the triangle is closer to p than the best so far.
void Polisher::lookForNearest(TriangleId t, const Vec3d& p, NearestSample& best) const {
    if (double(m_boxes[t].squaredExteriorDistance(p.cast<float>())) >= best.squaredDistance) return;
    for (const std::uint32_t s : m_samplesAt.of(t)) {
        const Sample& sample = m_samples[s];
        const double squared = (placeOf(sample) - p).squaredNorm();
        if (squared < best.squaredDistance && sample.weight > 0) best = {s, squared};
    }
}

// Of the source's triangles around a sample, and on from there, the one closest to p.
TriangleId Polisher::closestAround(const NearestSample& nearest, const Vec3d& p) const {
    if (nearest.sample == noIndex) return noIndex;
    return walkWidely(m_from.mesh, m_from.around, m_from.spheres, p,
                      m_from.around.of(m_samples[nearest.sample].vertex).front())
        .triangle;
}

// A triangle of the source near a point of the level's triangle t.
TriangleId Polisher::sourceTriangleNear(TriangleId t, const Vec3d& p) const {
    NearestSample nearest;
    lookForNearest(t, p, nearest);
    if (nearest.sample == noIndex)
        for (const VertexId v : m_level.triangles[t])
            for (const TriangleId other : m_around.of(v)) lookForNearest(other, p, nearest);
    return closestAround(nearest, p);
}

TriangleId Polisher::hitNear(TriangleId t, const Vec3d& p) const {
    const TriangleId hit = m_hits[t * m_probes.size()];
    return hit != noIndex ? hit : sourceTriangleNear(t, p);
}

// The same near a vertex of the level.
TriangleId Polisher::sourceTriangleNearVertex(VertexId v) const {
    NearestSample nearest;
    for (const TriangleId t : m_around.of(v)) lookForNearest(t, place(v), nearest);
    return closestAround(nearest, place(v));
}

void Polisher::followLine(LineSample& sample) const {
    constexpr int mostSteps = 8;
    const Vec3d p = sample.point.cast<double>();
    double best = std::numeric_limits<double>::max();
    for (int step = 0; step < mostSteps; ++step) {
        const double before = best;
        for (const VertexId from : {sample.a, sample.b})
            for (const VertexId to : m_lineNeighbours[m_lineNumber[from]]) {
                const Vec3d edge = place(to) - place(from);
                const double length = edge.squaredNorm();
                const double share = length > 0 ? std::clamp((p - place(from)).dot(edge) / length, 0.0, 1.0) : 0.0;
                const double squared = (place(from) + share * edge - p).squaredNorm();
                if (squared >= best) continue;
                best = squared;
                sample.a = from;
                sample.b = to;
                sample.share = float(share);
                sample.isUsed = true;
            }
        if (best == before) break;
    }
}

// Follows them too. Each edge of a line acts through one of its triangles.
void Polisher::groupLineSamples() {
    parallelFor(
        m_lineSamples.size(), [&](std::size_t i) { followLine(m_lineSamples[i]); }, 64);
    m_lineSamplesAt = groupItems(m_lineSamples.size(), m_level.triangleCount(), [&](std::size_t i, const auto& visit) {
        const LineSample& sample = m_lineSamples[i];
        if (!sample.isUsed) return;
        const auto around = m_around.of(sample.a);
        const auto found = std::find_if(around.begin(), around.end(),
                                        [&](TriangleId t) { return contains(m_level.triangles[t], sample.b); });
        if (found != around.end()) visit(*found);
    });
}

void Polisher::groupByTriangle() {
    m_samplesAt = groupItems(m_samples.size(), m_level.triangleCount(),
                             [&](std::size_t s, const auto& visit) { visit(m_samples[s].triangle); });
    m_boxes.assign(m_level.triangleCount(), {});
    m_farthest.assign(m_level.triangleCount(), 0);
    m_errors.assign(m_level.triangleCount(), 0);
    parallelFor(
        m_boxes.size(),
        [&](std::size_t t) {
            for (const std::uint32_t s : m_samplesAt.of(t)) {
                const Sample& sample = m_samples[s];
                m_boxes[t].extend(m_from.mesh.positions[sample.vertex]);
                if (sample.weight > 0) m_farthest[t] = std::max(m_farthest[t], sample.distance);
                m_errors[t] += double(sample.weight) * double(sample.distance) * double(sample.distance);
            }
        },
        64);
}

void Polisher::sumUpErrors() {
    double area = 0, error = 0;
    for (const Sample& sample : m_samples) {
        area += double(sample.weight);
        error += double(sample.weight) * sample.distance * sample.distance;
    }
    m_meanSquared = area > 0 ? error / area : 0;
}

void Polisher::groupSamples() {
    m_changed.clear();
    sumUpErrors();
    groupByTriangle();
    groupLineSamples();
}

}  // namespace um
