#include "reduce/Polisher.h"
#include "reduce/PullSystem.h"

#include <cmath>

namespace um {

namespace {

// Places farther off than so many times the root mean square pull more than their share, up to a limit: the largest
// deviation counts too.
constexpr double farOff = 3;
constexpr double mostFarWeight = 50;

// A step after which a triangle is farther off than at the start by this factor, and very far off at all, is taken
// back: now and then the pulls run away with a vertex.
constexpr double worseBy = 1.5;
constexpr double worseThanFar = 3;

}  // namespace

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
                const TriangleProbe& probe = m_probes[i];
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

}  // namespace um
