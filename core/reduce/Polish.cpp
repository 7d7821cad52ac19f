#include "reduce/Polish.h"

#include "base/Parallel.h"
#include "reduce/PullSystem.h"
#include "reduce/SurfaceWalk.h"

#include <cmath>

namespace um {

namespace {

// A step that would turn a triangle by more than this cosine says is shortened.
constexpr double leastTurn = 0.5;

// A triangle's shape: 2 sqrt(3) |normal| / (sum of squared edges). Below this, no step may make it worse.
constexpr double needleQuality = 0.04;

// Each finds the closest places anew: later ones gain less, and on fine levels, where each costs more, less still.
constexpr int rounds = 5;
constexpr int roundsOfFine = 4;

// Places farther off than so many times the root mean square pull more than their share, up to a limit: the largest
// deviation counts too.
constexpr double farOff = 3;
constexpr double mostFarWeight = 50;

// A step after which a triangle is farther off than at the start by this factor, and very far off at all, is taken
// back: now and then the pulls run away with a vertex.
constexpr double worseBy = 1.5;
constexpr double worseThanFar = 3;

// A vertex of a protected line of the source pulls at the level's line like so many faces of its edges' squared length.
constexpr double lineWeight = 2;

// Beyond so many triangles of the source for each one of the level, the source's vertices alone are samples enough.
constexpr double manyForOne = 40;

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

// Points of a level's triangle that are held against the source, by their shares of the second and third corner, with
// their part of the area.
struct Probe {
    double second, third, part;
};

// Corners and centre: sums up quadratic functions exactly.
constexpr std::array<Probe, 4> fewProbes = {
    {{0, 0, 1.0 / 12}, {1, 0, 1.0 / 12}, {0, 1, 1.0 / 12}, {1.0 / 3, 1.0 / 3, 0.75}}};

// The centres of 4 x 4 equal triangles, and the corners, where spikes have their tips.
std::vector<Probe> manyProbes() {
    constexpr int n = 4;
    constexpr double atCorners = 1.0 / 16;
    std::vector<Probe> probes;
    for (int i = 0; i < n; ++i)
        for (int j = 0; i + j < n; ++j) {
            probes.push_back({(i + 1.0 / 3) / n, (j + 1.0 / 3) / n, (1 - atCorners) / (n * n)});
            if (i + j < n - 1) probes.push_back({(i + 2.0 / 3) / n, (j + 2.0 / 3) / n, (1 - atCorners) / (n * n)});
        }
    for (const auto& [second, third] : {std::pair(0.0, 0.0), std::pair(1.0, 0.0), std::pair(0.0, 1.0)})
        probes.push_back({second, third, atCorners / 3});
    return probes;
}

// Whether the source's vertices alone are too few samples.
bool isFine(const Mesh& level, const Mesh& source) {
    return double(source.triangleCount()) < manyForOne * double(level.triangleCount());
}

// 1 for an equilateral triangle, 0 for a needle.
double shapeOf(const Vec3d& a, const Vec3d& b, const Vec3d& c) {
    const double edges = (b - a).squaredNorm() + (c - b).squaredNorm() + (a - c).squaredNorm();
    return edges > 0 ? 2 * std::sqrt(3.0) * areaNormal(a, b, c).norm() / edges : 0;
}

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
    std::vector<Probe> m_probes;
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
    m_probes = withCentres ? std::vector<Probe>(fewProbes.begin(), fewProbes.end()) : manyProbes();
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

// One step of Gauss-Newton with fixed shares of the corners.
void Polisher::moveVertices(const Progress& progress) {
    const std::size_t triangles = m_level.triangleCount(), vertices = m_level.vertexCount();
    m_offs.assign(triangles, 0);
    const double farSquared = farOff * farOff * error() / areaOfSource();
    std::vector<PullBlock> blocks(triangles);
    parallelFor(
        triangles,
        [&](std::size_t t) {
            const Triangle& triangle = m_level.triangles[t];
            const Vec3d a = place(triangle[0]), b = place(triangle[1]), c = place(triangle[2]);
            const Vec3d doubled = areaNormal(a, b, c);
            const double area = doubled.norm() / 2;
            PullBlock& block = blocks[t];
            if (area > 0) block.normal = doubled.normalized().cast<float>();
            const Vec3d normal = block.normal.cast<double>();
            std::array<double, 6> m{}, e{};
            std::array<Vec3d, 3> pull{Vec3d::Zero(), Vec3d::Zero(), Vec3d::Zero()};
            const auto add = [&](const TrianglePoint& at, double part, const Vec3d& off, bool isAlongNormal) {
                const double weight = part * (1 + std::min(mostFarWeight, off.squaredNorm() / farSquared));
                const std::array<double, 3> share = {at.first(), at.second, at.third};
                std::array<double, 6>& sum = isAlongNormal ? m : e;
                const Vec3d force = weight * (isAlongNormal ? block.through(off) : off);
                for (std::size_t k = 0; k < 3; ++k) {
                    sum[k] += weight * share[k] * share[k];
                    sum[3 + k] += weight * share[k] * share[(k + 1) % 3];
                    pull[k] += share[k] * force;
                }
            };
            for (std::uint32_t i = m_firstSample[t]; i < m_firstSample[t + 1]; ++i) {
                const Sample& sample = m_samples[m_byTriangle[i]];
                const Vec3d off = sample.point.cast<double>() - sample.at().of(a, b, c);
                const double along = normal.dot(off);
                add(sample.at(), double(sample.weight), off, along * along > 0.5 * off.squaredNorm());
            }
            for (std::size_t i = 0; i < m_probes.size(); ++i) {
                const Probe& probe = m_probes[i];
                const TrianglePoint at{probe.second, probe.third};
                const Vec3d here = at.of(a, b, c);
                TriangleId& last = m_hits[t * m_probes.size() + i];
                if (last == none) {
                    const std::uint32_t nearest = nearestSample(TriangleId(t), here);
                    if (nearest == none) continue;
                    last = sourceTriangleOf(nearest);
                }
                const Closest closest = walkCloser(m_source, m_sourceAround, here, last);
                last = closest.triangle;
                m_offs[t] = std::max(m_offs[t], float(std::sqrt(closest.squaredDistance)));
                const Triangle& hit = m_source.triangles[closest.triangle];
                const Vec3d off = closest.at.of(sourcePlace(hit[0]), sourcePlace(hit[1]), sourcePlace(hit[2])) - here;
                add(at, probe.part * area, off, false);
            }
            for (auto line = std::lower_bound(m_lineSampleByTriangle.begin(), m_lineSampleByTriangle.end(),
                                              std::pair(TriangleId(t), 0u));
                 line != m_lineSampleByTriangle.end() && line->first == t; ++line) {
                const LineSample& sample = m_lineSamples[line->second];
                const auto shareOf = [&](VertexId v) {
                    return (v == sample.a ? 1 - double(sample.share) : 0.0) +
                           (v == sample.b ? double(sample.share) : 0.0);
                };
                const TrianglePoint at{shareOf(triangle[1]), shareOf(triangle[2])};
                add(at, double(sample.weight), sample.point.cast<double>() - at.of(a, b, c), false);
            }
            for (std::size_t k = 0; k < 6; ++k) {
                block.m[k] = float(m[k]);
                block.e[k] = float(e[k]);
            }
            for (std::size_t k = 0; k < 3; ++k) block.pull[k] = pull[k].cast<float>();
        },
        64);
    std::vector<std::uint8_t> held(vertices);
    for (VertexId v = 0; v < vertices; ++v) held[v] = isHeld(v);
    std::vector<Vec3d> step = solvePulls(m_level.triangles, m_around, blocks, held, progress);
    limitSteps(step);
    shortenBadSteps(step);
    parallelFor(vertices, [&](std::size_t v) {
        if (!step[v].isZero(0)) m_level.positions[v] = (place(VertexId(v)) + step[v]).cast<float>();
    });
    if (m_offsAtStart.empty()) {
        m_offsAtStart.resize(vertices);
        parallelFor(vertices, [&](std::size_t v) {
            for (const TriangleId t : m_around.of(VertexId(v)))
                m_offsAtStart[v] = std::max(m_offsAtStart[v], m_offs[t]);
        });
    }
    takeBackWorse(step, worseThanFar * std::sqrt(farSquared));
    bringBackFarthest(worseThanFar * std::sqrt(farSquared));
}

// Vertices that float far off the source, over a gap or beyond a tip that has been lost, go back to it.
void Polisher::bringBackFarthest(double farDistance) {
    std::vector<std::uint8_t> isFar(m_level.vertexCount(), 0);
    std::vector<Closest> closest(m_level.vertexCount());
    parallelFor(isFar.size(), [&](std::size_t v) {
        if (isOnLine(VertexId(v))) return;
        for (const TriangleId t : m_around.of(VertexId(v)))
            for (std::size_t i = 0; i < m_probes.size(); ++i) {
                const TriangleId hit = m_hits[t * m_probes.size() + i];
                if (hit == none || m_offs[t] < farDistance) continue;
                const Closest there = walkCloser(m_source, m_sourceAround, place(VertexId(v)), hit);
                if (there.squaredDistance < closest[v].squaredDistance) closest[v] = there;
            }
        isFar[v] = closest[v].squaredDistance > farDistance * farDistance &&
                   closest[v].squaredDistance < std::numeric_limits<double>::max();
    });
    for (VertexId v = 0; v < isFar.size(); ++v) {
        if (isFar[v] == 0) continue;
        const Triangle& hit = m_source.triangles[closest[v].triangle];
        lift(v, closest[v].at.of(sourcePlace(hit[0]), sourcePlace(hit[1]), sourcePlace(hit[2])));
    }
}

// Where the pulls led a triangle farther off than it was, its vertices go back.
void Polisher::takeBackWorse(std::vector<Vec3d>& step, double farDistance) {
    std::vector<std::uint8_t> isWorse(m_level.triangleCount(), 0);
    parallelFor(
        isWorse.size(),
        [&](std::size_t t) {
            const Triangle& triangle = m_level.triangles[t];
            for (std::size_t i = 0; i < m_probes.size() && isWorse[t] == 0; ++i) {
                TriangleId& last = m_hits[t * m_probes.size() + i];
                if (last == none) continue;
                const Vec3d here = TrianglePoint{m_probes[i].second, m_probes[i].third}.of(
                    place(triangle[0]), place(triangle[1]), place(triangle[2]));
                const Closest closest = walkCloser(m_source, m_sourceAround, here, last);
                last = closest.triangle;
                const double off = std::sqrt(closest.squaredDistance);
                double before = 0;
                for (const VertexId v : triangle) before = std::max(before, double(m_offsAtStart[v]));
                isWorse[t] = off > farDistance && off > worseBy * before;
            }
        },
        64);
    parallelFor(step.size(), [&](std::size_t v) {
        const auto around = m_around.of(VertexId(v));
        const bool goesBack = std::any_of(around.begin(), around.end(), [&](TriangleId t) { return isWorse[t] != 0; });
        step[v] = goesBack ? Vec3d(-step[v]) : Vec3d(Vec3d::Zero());
    });
    shortenBadSteps(step);
    parallelFor(step.size(), [&](std::size_t v) {
        if (!step[v].isZero(0)) m_level.positions[v] = (place(VertexId(v)) + step[v]).cast<float>();
    });
}

// The pulls hold for small steps only.
void Polisher::limitSteps(std::vector<Vec3d>& steps) const {
    constexpr double mostOfEdge = 0.4;
    parallelFor(steps.size(), [&](std::size_t v) {
        double least = std::numeric_limits<double>::max();
        for (const TriangleId t : m_around.of(VertexId(v)))
            for (const VertexId w : m_level.triangles[t])
                if (w != v) least = std::min(least, (place(w) - place(VertexId(v))).squaredNorm());
        const double length = steps[v].norm(), most = mostOfEdge * std::sqrt(least);
        if (length > most) steps[v] *= most / length;
    });
}

// The squared distance from the middle of an edge to the source, looked for near the triangle t.
double Polisher::offAtMiddle(VertexId a, VertexId b, TriangleId t) const {
    const Vec3d middle = (place(a) + place(b)) / 2;
    const std::uint32_t nearest = nearestSample(t, middle);
    if (nearest == none) return 0;
    return walkCloser(m_source, m_sourceAround, middle, sourceTriangleOf(nearest)).squaredDistance;
}

// How much closer the surfaces would be, as squared length times area, if the edge opposite to corner k of t ran
// across; not above 0 if it may not.
double Polisher::gainOfFlip(TriangleId t, std::size_t k, const Beyond& beyond) const {
    const Triangle& triangle = m_level.triangles[t];
    const VertexId c = triangle[k], a = triangle[(k + 1) % 3], b = triangle[(k + 2) % 3];
    const Triangle& second = m_level.triangles[beyond.triangle];
    const VertexId d = second[beyond.corner];
    if (d == c || m_sections[t] != m_sections[beyond.triangle] || (isOnLine(a) && isOnLine(b))) return 0;
    if (!isSmoothEdge(m_level, t, k, beyond)) return 0;
    for (const TriangleId around : m_around.of(c)) {
        const Triangle& there = m_level.triangles[around];
        if (there[0] == d || there[1] == d || there[2] == d) return 0;
    }
    const Vec3d pa = place(a), pb = place(b), pc = place(c), pd = place(d);
    const Vec3d before = areaNormal(pc, pa, pb) + areaNormal(pd, pb, pa);
    const Vec3d first = areaNormal(pc, pa, pd), last = areaNormal(pc, pd, pb);
    for (const Vec3d& normal : {first, last})
        if (normal.dot(before) <= leastTurn * normal.norm() * before.norm()) return 0;
    const double shape = std::min(shapeOf(pc, pa, pd), shapeOf(pc, pd, pb));
    if (shape < needleQuality && shape < std::min(shapeOf(pc, pa, pb), shapeOf(pd, pb, pa))) return 0;
    double gain = 0, area = 0;
    for (const TriangleId side : {t, beyond.triangle})
        for (std::uint32_t i = m_firstSample[side]; i < m_firstSample[side + 1]; ++i) {
            const Sample& sample = m_samples[m_byTriangle[i]];
            const Vec3d p = sample.point.cast<double>();
            const double now = std::min((closestOnTriangle(p, pc, pa, pd).of(pc, pa, pd) - p).squaredNorm(),
                                        (closestOnTriangle(p, pc, pd, pb).of(pc, pd, pb) - p).squaredNorm());
            gain += double(sample.weight) * (double(sample.distance) * double(sample.distance) - now);
            area += double(sample.weight);
        }
    if (!(gain > 0)) return 0;
    // The other way round, from the level to the source, the middles of both diagonals tell.
    return gain + area / 2 * (offAtMiddle(a, b, t) - offAtMiddle(c, d, t));
}

void Polisher::flipEdges(const Progress& progress) {
    struct Flip {
        double gain = 0;
        TriangleId triangle = 0, other = 0;
        std::uint8_t corner = 0;
    };
    std::vector<std::vector<Flip>> found(chunkCount(m_level.triangleCount(), 1024));
    parallelChunks(m_level.triangleCount(), 1024, [&](std::size_t chunk, std::size_t begin, std::size_t end) {
        progress.check();
        for (TriangleId t = TriangleId(begin); t < end; ++t)
            for (std::size_t k = 0; k < 3; ++k) {
                const Beyond beyond = beyondEdge(m_level, m_around, t, k);
                if (!beyond.isThere() || beyond.triangle < t) continue;
                const double gain = gainOfFlip(t, k, beyond);
                if (gain > 0) found[chunk].push_back({gain, t, beyond.triangle, std::uint8_t(k)});
            }
    });
    std::vector<Flip> flips;
    for (const std::vector<Flip>& some : found) flips.insert(flips.end(), some.begin(), some.end());
    std::sort(flips.begin(), flips.end(), [](const Flip& x, const Flip& y) {
        return x.gain != y.gain ? x.gain > y.gain : x.triangle < y.triangle;
    });
    std::vector<std::uint8_t> touched(m_level.vertexCount(), 0);
    for (const Flip& flip : flips) {
        const std::size_t k = flip.corner;
        Triangle &first = m_level.triangles[flip.triangle], &second = m_level.triangles[flip.other];
        const VertexId a = first[(k + 1) % 3], b = first[(k + 2) % 3];
        const std::size_t m = second[0] != a && second[0] != b ? 0 : second[1] != a && second[1] != b ? 1 : 2;
        const std::array<VertexId, 4> corners = {first[k], a, b, second[m]};
        if (std::any_of(corners.begin(), corners.end(), [&](VertexId v) { return touched[v] != 0; })) continue;
        for (const VertexId v : corners) touched[v] = 1;
        const auto turn = [&](Triangle& x, Triangle& y) {
            const std::uint32_t c = x[k], atA = x[(k + 1) % 3], atB = x[(k + 2) % 3], d = y[m];
            x = {c, atA, d};
            y = {c, d, atB};
        };
        if (!m_level.wedges.empty()) turn(m_level.wedges[flip.triangle], m_level.wedges[flip.other]);
        turn(first, second);
        for (const TriangleId t : {flip.triangle, flip.other})
            std::fill_n(m_hits.begin() + long(t * m_probes.size()), m_probes.size(), none);
    }
    connect();
}

// Where all corners are held, whoever held them wants nothing changed.
bool Polisher::mayBeSplit(TriangleId t) const {
    const Triangle& triangle = m_level.triangles[t];
    return !(isHeld(triangle[0]) && isHeld(triangle[1]) && isHeld(triangle[2]));
}

// Goes as far towards the place as the triangles around allow.
void Polisher::lift(VertexId v, const Vec3d& to) {
    const Vec3d from = place(v);
    const auto shapes = [&] {
        std::vector<std::pair<Vec3d, double>> result;
        for (const TriangleId t : m_around.of(v)) {
            const Triangle& triangle = m_level.triangles[t];
            const Vec3d a = place(triangle[0]), b = place(triangle[1]), c = place(triangle[2]);
            result.push_back({areaNormal(a, b, c), shapeOf(a, b, c)});
        }
        return result;
    };
    const auto before = shapes();
    for (const double share : {1.0, 0.5, 0.25}) {
        m_level.positions[v] = (from + share * (to - from)).cast<float>();
        const auto after = shapes();
        bool isGood = true;
        for (std::size_t i = 0; i < after.size(); ++i) {
            const auto& [normal, shape] = after[i];
            isGood = isGood && normal.dot(before[i].first) > leastTurn * normal.norm() * before[i].first.norm() &&
                     (shape >= needleQuality || shape >= before[i].second);
        }
        if (isGood) return;
    }
    m_level.positions[v] = from.cast<float>();
}

// The worst first, each well apart from the others: closest places must be found anew afterwards.
// @returns how many vertices were put in
std::size_t Polisher::insertAtWorst(std::size_t most) {
    struct Candidate {
        float distance = 0, area = 0;
        TriangleId triangle = 0;
        std::uint32_t sample = none;

        bool operator<(const Candidate& other) const {
            if (distance != other.distance) return distance > other.distance;
            return area != other.area ? area > other.area : triangle < other.triangle;
        }
    };
    std::vector<Candidate> candidates(m_level.triangleCount());
    parallelFor(candidates.size(), [&](std::size_t t) {
        Candidate& candidate = candidates[t];
        const Triangle& triangle = m_level.triangles[t];
        candidate.triangle = TriangleId(t);
        candidate.area = float(areaNormal(place(triangle[0]), place(triangle[1]), place(triangle[2])).norm());
        for (std::uint32_t i = m_firstSample[t]; i < m_firstSample[t + 1]; ++i) {
            const Sample& sample = m_samples[m_byTriangle[i]];
            if (!(sample.weight > 0) || sample.distance <= candidate.distance) continue;
            candidate.distance = sample.distance;
            candidate.sample = m_byTriangle[i];
        }
    });
    std::sort(candidates.begin(), candidates.end());
    // Closer to an edge than this share, its triangles are split; and no split comes closer to a corner.
    constexpr double nearEdge = 0.15;
    std::vector<std::uint8_t> touched(m_level.vertexCount(), 0);
    std::vector<std::pair<VertexId, Vec3d>> lifts;
    for (const Candidate& candidate : candidates) {
        if (lifts.size() == most) break;
        const TriangleId t = candidate.triangle;
        const Triangle triangle = m_level.triangles[t];
        const auto isTouched = [&](VertexId v) { return touched[v] != 0; };
        if (!(candidate.area > 0) || std::any_of(triangle.begin(), triangle.end(), isTouched) || !mayBeSplit(t))
            continue;
        TrianglePoint at =
            candidate.sample == none ? TrianglePoint{1.0 / 3, 1.0 / 3} : m_samples[candidate.sample].at();
        const std::array<double, 3> shares = {at.first(), at.second, at.third};
        const auto k = std::size_t(std::min_element(shares.begin(), shares.end()) - shares.begin());
        Beyond beyond;
        if (shares[k] < nearEdge && !(isOnLine(triangle[(k + 1) % 3]) && isOnLine(triangle[(k + 2) % 3]))) {
            beyond = beyondEdge(m_level, m_around, t, k);
            if (beyond.isThere() && (m_sections[beyond.triangle] != m_sections[t] || !mayBeSplit(beyond.triangle) ||
                                     !isSmoothEdge(m_level, t, k, beyond)))
                beyond = {};
        }
        std::array<VertexId, 4> corners = {triangle[0], triangle[1], triangle[2], triangle[0]};
        if (beyond.isThere()) corners[3] = m_level.triangles[beyond.triangle][beyond.corner];
        if (isTouched(corners[3])) continue;
        for (const VertexId v : corners) touched[v] = 1;
        touched.push_back(1);
        std::array<double, 3> kept{};
        if (beyond.isThere()) {
            const double sum = 1 - shares[k];
            kept[(k + 1) % 3] = std::clamp(shares[(k + 1) % 3] / sum, nearEdge, 1 - nearEdge);
            kept[(k + 2) % 3] = 1 - kept[(k + 1) % 3];
        } else {
            for (std::size_t i = 0; i < 3; ++i) kept[i] = nearEdge + (1 - 3 * nearEdge) * shares[i];
        }
        at = {kept[1], kept[2]};
        const VertexId v = VertexId(m_level.vertexCount());
        m_births.push_back(
            insertVertex(m_level, m_sections, t, at, k, beyond, WedgeId(m_provenance.levelWedges + m_births.size())));
        lifts.push_back(
            {v, candidate.sample == none ? m_births.back().place : m_samples[candidate.sample].point.cast<double>()});
        for (const TriangleId changed : {t, beyond.isThere() ? beyond.triangle : t})
            std::fill_n(m_hits.begin() + long(changed * m_probes.size()), m_probes.size(), none);
        m_lineNumber.push_back(none);
        if (m_offsAtStart.empty()) continue;
        float off = 0;
        for (const VertexId corner : triangle) off = std::max(off, m_offsAtStart[corner]);
        m_offsAtStart.push_back(off);
    }
    m_hits.resize(m_probes.size() * m_level.triangleCount(), none);
    connect();
    for (const auto& [v, to] : lifts) lift(v, to);
    return lifts.size();
}

std::vector<Birth> Polisher::finish() {
    if (!m_births.empty()) groupBySections(m_level, m_sections);
    return std::move(m_births);
}

bool Polisher::isBadTurn(TriangleId t, const std::vector<Vec3d>& steps) const {
    const Triangle& triangle = m_level.triangles[t];
    std::array<Vec3d, 3> old, now;
    for (std::size_t k = 0; k < 3; ++k) {
        old[k] = place(triangle[k]);
        now[k] = old[k] + steps[triangle[k]];
    }
    const Vec3d before = areaNormal(old[0], old[1], old[2]), after = areaNormal(now[0], now[1], now[2]);
    if (before.dot(after) < leastTurn * before.norm() * after.norm()) return true;
    const double shape = shapeOf(now[0], now[1], now[2]);
    return shape < needleQuality && shape < shapeOf(old[0], old[1], old[2]);
}

void Polisher::shortenBadSteps(std::vector<Vec3d>& steps) const {
    constexpr int halvings = 4;
    std::vector<std::uint8_t> isBad(m_level.triangleCount());
    for (int i = 0; i <= halvings; ++i) {
        parallelFor(isBad.size(), [&](std::size_t t) { isBad[t] = isBadTurn(TriangleId(t), steps) ? 1 : 0; });
        std::vector<std::uint8_t> any(chunkCount(steps.size(), 4096), 0);
        parallelChunks(steps.size(), 4096, [&](std::size_t chunk, std::size_t begin, std::size_t end) {
            for (std::size_t v = begin; v < end; ++v) {
                const auto around = m_around.of(VertexId(v));
                if (steps[v].isZero(0) ||
                    std::none_of(around.begin(), around.end(), [&](TriangleId t) { return isBad[t] != 0; }))
                    continue;
                steps[v] *= i < halvings ? 0.5 : 0.0;
                any[chunk] = 1;
            }
        });
        if (std::none_of(any.begin(), any.end(), [](std::uint8_t a) { return a != 0; })) return;
        // Zeroed steps may leave a neighbour bad again: go on until none is.
        if (i == halvings) i = halvings - 1;
    }
}

}  // namespace

std::vector<Birth> polish(Mesh& level, const Mesh& source, const Provenance& provenance, std::size_t insertions,
                          const Progress& progress) {
    Polisher polisher(level, source, provenance);
    const int wanted = isFine(level, source) ? roundsOfFine : rounds;
    std::size_t inserted = 0;
    for (int round = 0; round < wanted; ++round) {
        progress.at(double(round) / wanted);
        polisher.findClosest(round == 0, progress);
        // Half of the new vertices at first, the rest where it is still worst then; where splits keep apart from one
        // another, it takes more turns.
        if (round == 1 || round == 2) {
            const std::size_t soFar = round == 1 ? (insertions + 1) / 2 : insertions;
            while (inserted < soFar) {
                const std::size_t more = polisher.insertAtWorst(soFar - inserted);
                if (more == 0) break;
                inserted += more;
                polisher.findClosest(false, progress);
            }
        }
        if (round > 0 && round < std::max(2, wanted - 1)) {
            polisher.flipEdges(progress);
            polisher.findClosest(false, progress);
        }
        polisher.moveVertices(progress);
    }
    progress.at(1);
    return polisher.finish();
}

}  // namespace um
