#pragma once
/// The working state of a polish: a level, points of its source with their closest places, and what is done with them.
#include "base/Parallel.h"
#include "reduce/Polish.h"
#include "reduce/SurfaceWalk.h"

#include <cmath>

namespace um {

// Whether the source's vertices alone are too few samples.
bool isFine(const Mesh& level, const Mesh& source);

// 1 for an equilateral triangle, 0 for a needle.
inline double shapeOf(const Vec3d& a, const Vec3d& b, const Vec3d& c) {
    const double edges = (b - a).squaredNorm() + (c - b).squaredNorm() + (a - c).squaredNorm();
    return edges > 0 ? 2 * std::sqrt(3.0) * areaNormal(a, b, c).norm() / edges : 0;
}

// Points of a level's triangle that are held against the source, by their shares of the second and third corner, with
// their part of the area.
struct TriangleProbe {
    double second, third, part;
};

/// One polish, from Polish.cpp: samples and closest places (PolishSamples.cpp), moves (PolishMoves.cpp), flips and new
/// vertices (PolishChanges.cpp).
class Polisher {
public:
    Polisher(Mesh& level, const Mesh& source, const Provenance& provenance)
        : m_level(level), m_source(source), m_provenance(provenance), m_sections(sectionOfTriangles(level)) {
        connect();
        takeSamples();
        takeLineSamples();
    }

    void findClosest(bool widely, const Progress& progress) {
        parallelRanges(m_samples.size(), [&](std::size_t begin, std::size_t end) {
            progress.check();
            for (std::size_t s = begin; s < end; ++s) follow(m_samples[s], widely);
        });
        groupByTriangle();
        parallelFor(m_lineSamples.size(), [&](std::size_t i) { followLine(m_lineSamples[i]); });
        groupLineSamples();
    }

    void moveVertices(const Progress& progress);
    void flipEdges(const Progress& progress);
    std::size_t insertAtWorst(std::size_t most);
    std::vector<Birth> finish();

    double areaOfSource() const {
        double sum = 0;
        for (const Sample& sample : m_samples) sum += double(sample.weight);
        return sum;
    }

    double error() const {
        double sum = 0;
        for (const Sample& sample : m_samples) sum += double(sample.weight) * sample.distance * sample.distance;
        return sum;
    }

private:
    // A step that would turn a triangle by more than this cosine says is shortened.
    static constexpr double leastTurn = 0.5;

    // A triangle's shape: 2 sqrt(3) |normal| / (sum of squared edges). Below this, no step may make it worse.
    static constexpr double needleQuality = 0.04;

    // A point of the source, with its closest place on the level.
    struct Sample {
        Vec3f point;
        float weight = 0;  // area
        TriangleId triangle = 0;
        float second = 0, third = 0;
        float distance = 0;

        TrianglePoint at() const { return {second, third}; }
    };

    // A point of a protected line of the source, with its closest place on the level's line from a to b.
    struct LineSample {
        Vec3f point;
        float weight = 0;
        VertexId a = 0, b = 0;
        float share = 0;  // of b
        bool isUsed = false;
    };

    Vec3d place(VertexId v) const { return m_level.positions[v].cast<double>(); }
    Vec3d sourcePlace(std::size_t s) const { return m_source.positions[s].cast<double>(); }

    void takeSamples();
    void takeLineSamples();
    void followLine(LineSample& sample) const;
    void connect();
    // A triangle of the source at a sample.
    TriangleId sourceTriangleOf(std::uint32_t sample) const {
        const std::size_t vertices = m_source.vertexCount();
        return sample < vertices ? m_sourceAround.of(sample).front() : TriangleId(sample - vertices);
    }

    std::uint32_t nearestSample(TriangleId t, const Vec3d& p) const;
    void follow(Sample& sample, bool widely) const;
    void groupByTriangle();
    void groupLineSamples();
    Kind kindOf(VertexId v) const {
        return v < m_provenance.levelKinds.size() ? m_provenance.levelKinds[v] : Kind::Interior;
    }
    bool isHeld(VertexId v) const { return kindOf(v) > Kind::Feature; }
    bool isOnLine(VertexId v) const { return kindOf(v) >= Kind::Feature; }
    bool mayBeSplit(TriangleId t) const;
    void lift(VertexId v, const Vec3d& to);
    void bringBackFarthest(double farDistance);
    double offAtMiddle(VertexId a, VertexId b, TriangleId t) const;
    double gainOfFlip(TriangleId t, std::size_t k, const Beyond& beyond) const;
    void takeBackWorse(std::vector<Vec3d>& step, double farDistance);
    void limitSteps(std::vector<Vec3d>& steps) const;
    void shortenBadSteps(std::vector<Vec3d>& steps) const;
    bool isBadTurn(TriangleId t, const std::vector<Vec3d>& steps) const;

    Mesh& m_level;
    const Mesh& m_source;
    const Provenance& m_provenance;
    VertexTriangles m_around, m_sourceAround;
    std::vector<TriangleProbe> m_probes;
    std::vector<TriangleId> m_hits;  // of the source, closest to each probe of each triangle; none if not known
    std::vector<std::uint16_t> m_sections;
    std::vector<float> m_offs;         // of each triangle's probes, the farthest before the step
    std::vector<float> m_offsAtStart;  // of each vertex, the farthest around it before the first step
    std::vector<Sample> m_samples;
    std::vector<std::uint32_t> m_firstSample;  // of each triangle, in m_byTriangle
    std::vector<std::uint32_t> m_byTriangle;
    std::vector<std::vector<VertexId>> m_lineNeighbours;  // of each vertex on lines, by m_lineNumber
    std::vector<std::uint32_t> m_lineNumber;
    std::vector<LineSample> m_lineSamples;
    std::vector<Birth> m_births;
    std::vector<std::pair<TriangleId, std::uint32_t>> m_lineSampleByTriangle;  // ordered
};

}  // namespace um
