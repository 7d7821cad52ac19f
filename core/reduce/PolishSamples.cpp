#include "reduce/Polisher.h"

#include <cmath>
#include <utility>

namespace um {

namespace {

// A vertex of a protected line of the source pulls at the level's line like so many faces of its edges' squared length:
// enough that the line does not give way to the faces beside it.
constexpr double sampleLineWeight = 8;

}  // namespace

// Where each probe stands for its part of a triangle and each corner for a third of what one of them does, the centre
// alone sums up quadratic functions exactly.
void Polisher::placeProbes() {
    const int n = m_sampling.probesPerSide;
    m_probes.clear();
    m_cornerPart = m_sampling.probeWeight / (12 * n);
    const double part = (m_sampling.probeWeight - 3 * m_cornerPart) / (n * n);
    for (int i = 0; i < n; ++i)
        for (int j = 0; i + j < n; ++j) {
            m_probes.push_back({(i + 1.0 / 3) / n, (j + 1.0 / 3) / n, part});
            if (i + j < n - 1) m_probes.push_back({(i + 2.0 / 3) / n, (j + 2.0 / 3) / n, part});
        }
    m_hits.assign(m_probes.size() * m_level.triangleCount(), noIndex);
    m_vertexHits.assign(m_level.vertexCount(), noIndex);
}

// What is not represented any more pulls at nothing.
void Polisher::takeSamples() {
    const std::vector<VertexId> vertices = parallelIndices(m_provenance.destinations.size(), [&](std::size_t v) {
        const VertexId at = m_provenance.destinations[v];
        return at != noIndex && !m_around.of(at).empty();
    });
    m_samples.resize(vertices.size());
    parallelFor(vertices.size(), [&](std::size_t s) {
        // Its third of the triangles around it.
        double area = 0;
        for (const TriangleId t : m_from.around.of(vertices[s])) area += triangleArea(m_from.mesh, t) / 3;
        m_samples[s].vertex = vertices[s];
        m_samples[s].weight = float(area);
    });
    thinSamples();
}

void Polisher::thinSamples() {
    const Groups byVertex = groupItems(m_samples.size(), m_level.vertexCount(), [&](std::size_t s, const auto& visit) {
        visit(m_provenance.destinations[m_samples[s].vertex]);
    });
    const auto isLarge = [&](std::size_t v) { return byVertex.of(v).size() >= 2 * m_sampling.enoughForVertex; };
    const std::vector<VertexId> large = parallelIndices(m_level.vertexCount(), isLarge);
    if (large.empty()) return;
    if (!m_isPlaced) {
        const std::vector<Sphere> spheres = spheresOf(m_level);
        parallelFor(
            large.size(),
            [&](std::size_t i) {
                for (const std::uint32_t s : byVertex.of(large[i]))
                    set(m_samples[s], walkFromVertex(m_level, m_around, spheres, placeOf(m_samples[s]), large[i]));
            },
            64);
    }
    std::vector<std::uint8_t> isKept(m_samples.size(), 1);
    parallelFor(
        large.size(), [&](std::size_t i) { thinGroup(large[i], byVertex.of(large[i]), isKept); }, 64);
    m_samples = parallelFilter(m_samples, [&](std::size_t s) { return isKept[s] != 0; });
}

// Where few of the source's vertices have gone into one of the level, all of them stay samples. Where many have, some
// of them; and so that no tip is overlooked, the one that is farthest off the level, and the one nearest to the level's
// vertex, which may go.
void Polisher::thinGroup(VertexId at, std::span<const std::uint32_t> samples, std::vector<std::uint8_t>& isKept) {
    const auto step = std::uint32_t(samples.size()) / m_sampling.enoughForVertex;
    const auto apart = [&](std::uint32_t s) { return (placeOf(m_samples[s]) - place(at)).squaredNorm(); };
    std::uint32_t farthest = samples.front(), nearest = samples.front();
    double weight = 0;
    for (const std::uint32_t s : samples) {
        if (m_samples[s].distance > m_samples[farthest].distance) farthest = s;
        if (apart(s) < apart(nearest)) nearest = s;
        weight += double(m_samples[s].weight);
    }
    // One of each so many, but not always the same of a row: sources often are grids.
    const auto isNext = [&](std::uint32_t i) {
        return i % step == mixBits(at + std::uint64_t(i / step) * 7919) % step;
    };
    std::uint32_t taken = 0;
    for (std::uint32_t i = 0; i < samples.size(); ++i) {
        const std::uint32_t s = samples[i];
        isKept[s] = isNext(i) || s == farthest || s == nearest;
        // What is looked for stands for itself alone, the others for all the rest.
        if (isNext(i))
            ++taken;
        else if (isKept[s] != 0)
            weight -= double(m_samples[s].weight);
    }
    for (std::uint32_t i = 0; i < samples.size(); ++i)
        if (isNext(i)) m_samples[samples[i]].weight = float(weight / taken);
}

void Polisher::goOn(Mesh level, Provenance provenance, const std::vector<VertexId>& into, const Sampling& sampling) {
    const Mesh before = std::exchange(m_level, std::move(level));
    m_provenance = std::move(provenance);
    // Triangles that are left keep their order. Where some fell together besides, nobody knows which are.
    const auto isLeft = [&](const Triangle& t) {
        const VertexId a = into[t[0]], b = into[t[1]], c = into[t[2]];
        return a != noIndex && b != noIndex && c != noIndex && a != b && b != c && c != a;
    };
    std::vector<TriangleId> number(before.triangleCount());
    parallelFor(number.size(), [&](std::size_t t) { number[t] = isLeft(before.triangles[t]) ? 0 : noIndex; });
    TriangleId left = 0;
    for (TriangleId& n : number)
        if (n != noIndex) n = left++;
    if (left != m_level.triangleCount()) std::fill(number.begin(), number.end(), noIndex);
    connect();
    // What was closest is a place to look from, even where corners have moved.
    const std::vector<TriangleId> hits = std::exchange(m_hits, {}), vertexHits = std::exchange(m_vertexHits, {});
    const std::size_t probesBefore = m_probes.size();
    m_sampling = sampling;
    placeProbes();
    parallelFor(number.size(), [&](std::size_t t) {
        if (number[t] == noIndex) return;
        for (std::size_t i = 0; i < m_probes.size(); ++i)
            m_hits[number[t] * m_probes.size() + i] = hits[t * probesBefore + i % probesBefore];
    });
    for (VertexId v = 0; v < before.vertexCount(); ++v) {
        if (into[v] == noIndex) continue;
        TriangleId& hit = m_vertexHits[into[v]];
        if (hit == noIndex || before.positions[v] == m_level.positions[into[v]]) hit = vertexHits[v];
    }
    const auto isRepresented = [&](VertexId v) { return v != noIndex && !m_around.of(v).empty(); };
    m_samples = parallelFilter(
        m_samples, [&](std::size_t s) { return isRepresented(m_provenance.destinations[m_samples[s].vertex]); });
    const std::vector<Sphere> spheres = spheresOf(m_level);
    parallelFor(m_samples.size(), [&](std::size_t s) {
        Sample& sample = m_samples[s];
        const Triangle& old = before.triangles[sample.triangle];
        sample.triangle = number[sample.triangle];
        if (sample.triangle != noIndex) {
            follow(sample);
            return;
        }
        const auto from = std::find_if(old.begin(), old.end(), [&](VertexId v) { return isRepresented(into[v]); });
        set(sample, walkFromVertex(m_level, m_around, spheres, placeOf(sample),
                                   from != old.end() ? into[*from] : m_provenance.destinations[sample.vertex]));
    });
    m_isCurrent = true;
    thinSamples();
    takeLineSamples();
    m_sections = sectionOfTriangles(m_level);
    m_worstAtStart = -1;
}

// The vertices of the source's lines that contraction has brought to vertices of the level's lines.
void Polisher::takeLineSamples() {
    m_lineNeighbours.clear();
    m_lineSamples.clear();
    m_lineNumber.assign(m_level.vertexCount(), noIndex);
    if (m_provenance.levelLines.empty()) return;
    for (const auto& [a, b] : m_provenance.levelLines)
        for (const auto& [from, to] : {std::pair(a, b), std::pair(b, a)}) {
            if (m_lineNumber[from] == noIndex) {
                m_lineNumber[from] = std::uint32_t(m_lineNeighbours.size());
                m_lineNeighbours.emplace_back();
            }
            m_lineNeighbours[m_lineNumber[from]].push_back(to);
        }
    std::vector<float> weights(m_from.mesh.vertexCount(), 0);
    for (const auto& [a, b] : m_provenance.sourceLines) {
        const float squared = (m_from.mesh.positions[a] - m_from.mesh.positions[b]).squaredNorm();
        weights[a] += squared / 2;
        weights[b] += squared / 2;
    }
    for (VertexId v = 0; v < weights.size(); ++v) {
        const VertexId at = m_provenance.destinations[v];
        if (weights[v] > 0 && at != noIndex && m_lineNumber[at] != noIndex)
            m_lineSamples.push_back({m_from.mesh.positions[v], float(sampleLineWeight) * weights[v], at, at});
    }
}

}  // namespace um
