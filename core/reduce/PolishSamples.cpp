#include "reduce/Polisher.h"

#include <cmath>

namespace um {

namespace {

// A vertex of a protected line of the source pulls at the level's line like so many faces of its edges' squared length.
constexpr double lineWeight = 2;

// Beyond so many triangles of the source for each one of the level, the source's vertices alone are samples enough.
constexpr double manyForOne = 40;

// Corners and centre: sums up quadratic functions exactly.
constexpr std::array<TriangleProbe, 4> fewProbes = {
    {{0, 0, 1.0 / 12}, {1, 0, 1.0 / 12}, {0, 1, 1.0 / 12}, {1.0 / 3, 1.0 / 3, 0.75}}};

// The centres of 4 x 4 equal triangles, and the corners, where spikes have their tips.
std::vector<TriangleProbe> manyProbes() {
    constexpr int n = 4;
    constexpr double atCorners = 1.0 / 16;
    std::vector<TriangleProbe> probes;
    for (int i = 0; i < n; ++i)
        for (int j = 0; i + j < n; ++j) {
            probes.push_back({(i + 1.0 / 3) / n, (j + 1.0 / 3) / n, (1 - atCorners) / (n * n)});
            if (i + j < n - 1) probes.push_back({(i + 2.0 / 3) / n, (j + 2.0 / 3) / n, (1 - atCorners) / (n * n)});
        }
    for (const auto& [second, third] : {std::pair(0.0, 0.0), std::pair(1.0, 0.0), std::pair(0.0, 1.0)})
        probes.push_back({second, third, atCorners / 3});
    return probes;
}

}  // namespace

bool isFine(const Mesh& level, const Mesh& source) {
    return double(source.triangleCount()) < manyForOne * double(level.triangleCount());
}

// Vertices and centres of the source's triangles, weighted so that quadratic functions are summed up exactly (1/12 for
// each corner, 3/4 for the centre); or the vertices alone.
void Polisher::takeSamples() {
    const std::vector<VertexId>& destinations = m_provenance.destinations;
    const bool withCentres = isFine(m_level, m_source);
    const std::size_t vertices = m_source.vertexCount();
    const auto areaOf = [&](TriangleId t) {
        const Triangle& triangle = m_source.triangles[t];
        return areaNormal(sourcePlace(triangle[0]), sourcePlace(triangle[1]), sourcePlace(triangle[2])).norm() / 2;
    };
    const auto startFor = [&](VertexId v) {
        Closest best;
        if (destinations[v] == none) return best.triangle;
        for (const TriangleId t : m_around.of(destinations[v])) {
            const Closest there = closestOf(m_level, sourcePlace(v), t);
            if (there.squaredDistance < best.squaredDistance) best = there;
        }
        return best.triangle;
    };
    m_probes = withCentres ? std::vector<TriangleProbe>(fewProbes.begin(), fewProbes.end()) : manyProbes();
    m_hits.assign(m_probes.size() * m_level.triangleCount(), none);
    m_sourceAround = findVertexTriangles(m_source.triangles, vertices);
    m_samples.resize(vertices + (withCentres ? m_source.triangleCount() : 0));
    parallelFor(vertices, [&](std::size_t v) {
        double area = 0;
        for (const TriangleId t : m_sourceAround.of(VertexId(v))) area += areaOf(t);
        m_samples[v].point = m_source.positions[v];
        m_samples[v].weight = float(area / (withCentres ? 12 : 3));
        m_samples[v].triangle = startFor(VertexId(v));
        // What is not represented any more pulls at nothing.
        if (destinations[v] == none) m_samples[v].weight = 0;
    });
    if (!withCentres) return;
    parallelFor(m_source.triangleCount(), [&](std::size_t t) {
        const Triangle& triangle = m_source.triangles[t];
        Sample& sample = m_samples[vertices + t];
        sample.point =
            (m_source.positions[triangle[0]] + m_source.positions[triangle[1]] + m_source.positions[triangle[2]]) / 3;
        sample.weight = destinations[triangle[0]] == none ? 0 : float(areaOf(TriangleId(t)) * 0.75);
        sample.triangle = m_samples[triangle[0]].triangle;
    });
}

// The vertices of the source's lines that contraction has brought to vertices of the level's lines.
void Polisher::takeLineSamples() {
    m_lineNumber.assign(m_level.vertexCount(), none);
    for (const auto& [a, b] : m_provenance.levelLines)
        for (const auto& [from, to] : {std::pair(a, b), std::pair(b, a)}) {
            if (m_lineNumber[from] == none) {
                m_lineNumber[from] = std::uint32_t(m_lineNeighbours.size());
                m_lineNeighbours.emplace_back();
            }
            m_lineNeighbours[m_lineNumber[from]].push_back(to);
        }
    std::vector<float> weights(m_source.vertexCount(), 0);
    for (const auto& [a, b] : m_provenance.sourceLines) {
        const float squared = (m_source.positions[a] - m_source.positions[b]).squaredNorm();
        weights[a] += squared / 2;
        weights[b] += squared / 2;
    }
    for (VertexId v = 0; v < weights.size(); ++v) {
        const VertexId at = m_provenance.destinations[v];
        if (weights[v] > 0 && at != none && m_lineNumber[at] != none)
            m_lineSamples.push_back({m_source.positions[v], float(lineWeight) * weights[v], at, at});
    }
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

// Each edge of a line acts through one of its triangles.
void Polisher::groupLineSamples() {
    m_lineSampleByTriangle.clear();
    for (std::uint32_t i = 0; i < m_lineSamples.size(); ++i) {
        const LineSample& sample = m_lineSamples[i];
        if (!sample.isUsed) continue;
        for (const TriangleId t : m_around.of(sample.a))
            if (contains(m_level.triangles[t], sample.b)) {
                m_lineSampleByTriangle.push_back({t, i});
                break;
            }
    }
    std::sort(m_lineSampleByTriangle.begin(), m_lineSampleByTriangle.end());
}

void Polisher::connect() {
    m_around = findVertexTriangles(m_level.triangles, m_level.vertexCount());
}

void Polisher::follow(Sample& sample, bool widely) const {
    const auto walk = widely ? walkWidely : walkCloser;
    const Closest closest = walk(m_level, m_around, sample.point.cast<double>(), sample.triangle);
    sample.triangle = closest.triangle;
    sample.second = float(closest.at.second);
    sample.third = float(closest.at.third);
    sample.distance = float(std::sqrt(closest.squaredDistance));
}

// The sample next to p of those on the triangle and around it.
std::uint32_t Polisher::nearestSample(TriangleId t, const Vec3d& p) const {
    std::uint32_t best = none;
    double least = std::numeric_limits<double>::max();
    const auto look = [&](TriangleId other) {
        for (std::uint32_t i = m_firstSample[other]; i < m_firstSample[other + 1]; ++i) {
            const Sample& sample = m_samples[m_byTriangle[i]];
            const double squared = (sample.point.cast<double>() - p).squaredNorm();
            if (squared >= least || !(sample.weight > 0)) continue;
            least = squared;
            best = m_byTriangle[i];
        }
    };
    for (const VertexId v : m_level.triangles[t])
        for (const TriangleId other : m_around.of(v)) look(other);
    return best;
}

void Polisher::groupByTriangle() {
    m_firstSample.assign(m_level.triangleCount() + 1, 0);
    for (const Sample& sample : m_samples) ++m_firstSample[sample.triangle];
    exclusivePrefixSum(m_firstSample);
    m_byTriangle.resize(m_samples.size());
    for (std::size_t s = 0; s < m_samples.size(); ++s)
        m_byTriangle[m_firstSample[m_samples[s].triangle]++] = std::uint32_t(s);
    std::rotate(m_firstSample.begin(), m_firstSample.end() - 1, m_firstSample.end());
    m_firstSample.front() = 0;
}

}  // namespace um
