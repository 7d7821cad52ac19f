#include "reduce/Polisher.h"

#include <cmath>

namespace um {

namespace {

// A vertex of a protected line of the source pulls at the level's line like so many faces of its edges' squared length.
constexpr double lineWeight = 2;

// Up to so many triangles of the source for each one of the level, the level is fine, or very fine.
constexpr double fewForOne = 40;
constexpr double veryFewForOne = 10;

// Where the source's vertices are few for each triangle of a fine level, the way back from the level to the source must
// tell of what lies between them: it counts twice where there are so many triangles of the source for one or fewer, and
// less beyond.
constexpr double doublyUpTo = 5;

// With the centre as the only probe inside, sums up quadratic functions exactly.
constexpr double cornerPartOfFew = 1.0 / 12;

// Corners count beside many probes, since spikes have their tips there.
constexpr double cornerPartOfMany = 1.0 / 48;

// The centres of 4 x 4 equal triangles.
std::vector<TriangleProbe> manyProbes() {
    constexpr int n = 4;
    constexpr double part = (1 - 3 * cornerPartOfMany) / (n * n);
    std::vector<TriangleProbe> probes;
    for (int i = 0; i < n; ++i)
        for (int j = 0; i + j < n; ++j) {
            probes.push_back({(i + 1.0 / 3) / n, (j + 1.0 / 3) / n, part});
            if (i + j < n - 1) probes.push_back({(i + 2.0 / 3) / n, (j + 2.0 / 3) / n, part});
        }
    return probes;
}

}  // namespace

bool isFine(const Mesh& level, const Mesh& source) {
    return double(source.triangleCount()) < fewForOne * double(level.triangleCount());
}

bool isVeryFine(const Mesh& level, const Mesh& source) {
    return double(source.triangleCount()) < veryFewForOne * double(level.triangleCount());
}

void Polisher::takeSamples() {
    const std::vector<VertexId>& destinations = m_provenance.destinations;
    const std::size_t vertices = m_source.vertexCount();
    if (isFine(m_level, m_source)) {
        const double forOne =
            double(m_source.triangleCount()) / double(std::max<std::size_t>(1, m_level.triangleCount()));
        const double weight = 1 + std::min(1.0, doublyUpTo / forOne);
        m_cornerPart = weight * cornerPartOfFew;
        m_probes = {{1.0 / 3, 1.0 / 3, weight * (1 - 3 * cornerPartOfFew)}};
    } else {
        m_cornerPart = cornerPartOfMany;
        m_probes = manyProbes();
    }
    m_hits.assign(m_probes.size() * m_level.triangleCount(), none);
    m_vertexHits.assign(m_level.vertexCount(), none);
    m_sourceAround = findVertexTriangles(m_source.triangles, vertices);
    m_sourceSpheres = spheresOf(m_source);
    std::vector<float> areas(m_source.triangleCount());
    parallelFor(areas.size(), [&](std::size_t t) {
        const Triangle& triangle = m_source.triangles[t];
        areas[t] =
            float(areaNormal(sourcePlace(triangle[0]), sourcePlace(triangle[1]), sourcePlace(triangle[2])).norm() / 2);
    });
    m_samples.resize(vertices);
    parallelFor(vertices, [&](std::size_t v) {
        Sample& sample = m_samples[v];
        sample.point = m_source.positions[v];
        // What is not represented any more pulls at nothing.
        if (destinations[v] == none) return;
        for (const TriangleId t : m_sourceAround.of(VertexId(v))) sample.weight += areas[t] / 3;
        const auto around = m_around.of(destinations[v]);
        if (!around.empty()) sample.triangle = around.front();
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

}  // namespace um
