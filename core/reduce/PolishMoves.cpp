#include "base/Sorted.h"
#include "reduce/Polisher.h"
#include "reduce/PullSystem.h"

#include <cmath>
#include <numeric>

namespace um {

namespace {

// What is far off pulls more than its share, up to a limit: the largest deviation counts too.
constexpr double mostFarWeight = 50;

// A step after which a triangle is farther off than it or the source there was, and so many times beyond far
// off at all, is taken back: now and then the pulls run away with a vertex.
constexpr double worseThanFar = 2;

}  // namespace

// One step of Gauss-Newton with fixed shares of the corners.
void Polisher::moveVertices(const Progress& progress) {
    const std::size_t triangles = m_level.triangleCount(), vertices = m_level.vertexCount();
    m_offs.assign(triangles, 0);
    const double farSquared = farOff * farOff * meanSquared();
    std::vector<Vec3f> vertexOffs(vertices, Vec3f::Zero());
    parallelFor(
        vertices,
        [&](std::size_t v) {
            TriangleId& last = m_vertexHits[v];
            if (last == noIndex) last = sourceTriangleNearVertex(VertexId(v));
            if (last == noIndex) return;
            const Closest closest = m_from.closest(place(VertexId(v)), last, farSquared);
            last = closest.triangle;
            vertexOffs[v] = (m_from.placeOf(closest) - place(VertexId(v))).cast<float>();
        },
        64);
    std::vector<PullBlock> blocks(triangles);
    std::vector<CornerPulls> pulls(triangles);
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
                const Vec3d force =
                    weight * (isAlongNormal ? Vec3d(block.through(off.cast<float>()).cast<double>()) : off);
                for (std::size_t k = 0; k < 3; ++k) {
                    sum[k] += weight * share[k] * share[k];
                    sum[3 + k] += weight * share[k] * share[(k + 1) % 3];
                    pull[k] += share[k] * force;
                }
            };
            for (const std::uint32_t s : m_samplesAt.of(t)) {
                const Sample& sample = m_samples[s];
                const Vec3d off = placeOf(sample) - sample.at().of(a, b, c);
                const double along = normal.dot(off);
                add(sample.at(), double(sample.weight), off, along * along > 0.5 * off.squaredNorm());
            }
            for (std::size_t i = 0; i < m_probes.size(); ++i) {
                const TriangleProbe& probe = m_probes[i];
                const TrianglePoint at{probe.second, probe.third};
                const Vec3d here = at.of(a, b, c);
                TriangleId& last = m_hits[t * m_probes.size() + i];
                if (last == noIndex) last = sourceTriangleNear(TriangleId(t), here);
                if (last == noIndex) continue;
                const Closest closest = m_from.closest(here, last, farSquared);
                last = closest.triangle;
                m_offs[t] = std::max(m_offs[t], float(std::sqrt(closest.squaredDistance)));
                add(at, probe.part * area, m_from.placeOf(closest) - here, false);
            }
            for (std::size_t k = 0; k < 3; ++k) {
                const Vec3f& off = vertexOffs[triangle[k]];
                m_offs[t] = std::max(m_offs[t], off.norm());
                add({k == 1 ? 1.0 : 0.0, k == 2 ? 1.0 : 0.0}, m_cornerPart * area, off.cast<double>(), false);
            }
            for (const std::uint32_t i : m_lineSamplesAt.of(t)) {
                const LineSample& sample = m_lineSamples[i];
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
            for (std::size_t k = 0; k < 3; ++k) pulls[t][k] = pull[k].cast<float>();
        },
        64);
    std::vector<std::uint8_t> held(vertices);
    for (VertexId v = 0; v < vertices; ++v) held[v] = isHeld(v);
    std::vector<Vec3f> steps = solvePulls(m_level.triangles, m_around, blocks, std::move(pulls), held, progress);
    limitSteps(steps);
    shortenBadSteps(steps);
    take(steps);
    m_isCurrent = false;
    if (m_worstAtStart < 0)
        m_worstAtStart = double(std::max(*std::max_element(m_offs.begin(), m_offs.end()),
                                         *std::max_element(m_farthest.begin(), m_farthest.end())));
    const double farDistance = std::min(m_worstAtStart, worseThanFar * std::sqrt(farSquared));
    takeBackWorse(steps, farDistance);
    bringBackFarthest(farDistance);
}

void Polisher::take(const std::vector<Vec3f>& steps) {
    parallelFor(steps.size(), [&](std::size_t v) {
        if (!steps[v].isZero(0)) m_level.positions[v] = (place(VertexId(v)) + steps[v].cast<double>()).cast<float>();
    });
}

// Where the pulls led a triangle farther off than it was, its vertices go back.
// @param steps  that have been taken
void Polisher::takeBackWorse(const std::vector<Vec3f>& steps, double farDistance) {
    std::vector<std::uint8_t> isWorse(m_level.triangleCount(), 0);
    const auto offOf = [&](const Vec3d& p, TriangleId near) {
        return near == noIndex ? 0.0 : std::sqrt(walkCloser(m_from.mesh, m_from.around, p, near).squaredDistance);
    };
    // To reach a place of the source, the level may go as far off around it.
    std::vector<float> farthestAround(m_level.vertexCount(), 0);
    parallelFor(farthestAround.size(), [&](std::size_t v) {
        for (const TriangleId t : m_around.of(VertexId(v)))
            farthestAround[v] = std::max(farthestAround[v], m_farthest[t]);
    });
    parallelFor(
        isWorse.size(),
        [&](std::size_t t) {
            const Triangle& triangle = m_level.triangles[t];
            const double before = double(m_offs[t]);
            double longest = 0, limit = std::max(farDistance, before);
            for (const VertexId v : triangle) {
                longest = std::max(longest, double(steps[v].squaredNorm()));
                limit = std::max(limit, double(farthestAround[v]));
            }
            // Nothing can have come farther off than by the longest step of a corner.
            if (before + std::sqrt(longest) <= limit) return;
            const Vec3d a = place(triangle[0]), b = place(triangle[1]), c = place(triangle[2]);
            double now = 0;
            for (std::size_t i = 0; i < m_probes.size(); ++i)
                now = std::max(now, offOf(TrianglePoint{m_probes[i].second, m_probes[i].third}.of(a, b, c),
                                          m_hits[t * m_probes.size() + i]));
            for (const VertexId v : triangle) now = std::max(now, offOf(place(v), m_vertexHits[v]));
            isWorse[t] = now > limit;
        },
        64);
    std::vector<TriangleId> worse;
    for (TriangleId t = 0; t < isWorse.size(); ++t)
        if (isWorse[t] != 0) worse.push_back(t);
    std::vector<Vec3f> back(steps.size(), Vec3f::Zero());
    std::vector<std::uint8_t> goesBack(steps.size(), 0);
    // Where some of a triangle's vertices cannot go back without the others, those go back too.
    while (!worse.empty()) {
        std::vector<TriangleId> around;
        for (const TriangleId t : worse)
            for (const VertexId v : m_level.triangles[t]) {
                if (goesBack[v] != 0) continue;
                goesBack[v] = 1;
                back[v] = -steps[v];
                around.insert(around.end(), m_around.of(v).begin(), m_around.of(v).end());
            }
        worse.clear();
        for (const TriangleId t : around) {
            const Triangle& triangle = m_level.triangles[t];
            const bool allGoBack =
                std::all_of(triangle.begin(), triangle.end(), [&](VertexId v) { return goesBack[v] != 0; });
            if (!allGoBack && isBadTurn(t, back)) worse.push_back(t);
        }
    }
    take(back);
}

// Vertices that float far off the source, over a gap or beyond a tip that has been lost, go back to it.
void Polisher::bringBackFarthest(double farDistance) {
    std::vector<std::uint8_t> isFar(m_level.vertexCount(), 0);
    std::vector<Closest> closest(m_level.vertexCount());
    parallelFor(isFar.size(), [&](std::size_t v) {
        if (isOnLine(VertexId(v))) return;
        const auto look = [&](TriangleId hit) {
            if (hit == noIndex) return;
            const Closest there = walkCloser(m_from.mesh, m_from.around, place(VertexId(v)), hit);
            if (there.squaredDistance < closest[v].squaredDistance) closest[v] = there;
        };
        for (const TriangleId t : m_around.of(VertexId(v))) {
            if (m_offs[t] < farDistance) continue;
            for (const VertexId w : m_level.triangles[t]) look(m_vertexHits[w]);
            for (std::size_t i = 0; i < m_probes.size(); ++i) look(m_hits[t * m_probes.size() + i]);
        }
        isFar[v] = closest[v].squaredDistance > farDistance * farDistance &&
                   closest[v].squaredDistance < std::numeric_limits<double>::max();
    });
    for (VertexId v = 0; v < isFar.size(); ++v) {
        if (isFar[v] == 0) continue;
        lift(v, m_from.placeOf(closest[v]));
    }
}

// As far from one place towards another as the triangles over the sides allow.
Vec3d Polisher::lifted(const std::vector<Side>& sides, const Vec3d& from, const Vec3d& to) const {
    const auto isGood = [&](const Vec3d& p) {
        return std::all_of(sides.begin(), sides.end(), [&](const Side& side) {
            const Vec3d a = place(side.first), b = place(side.second);
            const Vec3d before = areaNormal(a, b, from), after = areaNormal(a, b, p);
            const double shape = shapeOf(a, b, p);
            return after.dot(before) > leastTurn * after.norm() * before.norm() &&
                   (shape >= needleQuality || shape >= shapeOf(a, b, from));
        });
    };
    for (const double share : {1.0, 0.5, 0.25}) {
        const Vec3d p = (from + share * (to - from)).cast<float>().cast<double>();
        if (isGood(p)) return p;
    }
    return from;
}

void Polisher::lift(VertexId v, const Vec3d& to) {
    std::vector<Side> sides;
    for (const TriangleId t : m_around.of(v)) {
        const Triangle& triangle = m_level.triangles[t];
        const std::size_t i = triangle[0] == v ? 0 : triangle[1] == v ? 1 : 2;
        sides.push_back({triangle[(i + 1) % 3], triangle[(i + 2) % 3]});
    }
    m_level.positions[v] = lifted(sides, place(v), to).cast<float>();
}

// The pulls hold for small steps only.
void Polisher::limitSteps(std::vector<Vec3f>& steps) const {
    constexpr double mostOfEdge = 0.4;
    parallelFor(steps.size(), [&](std::size_t v) {
        double least = std::numeric_limits<double>::max();
        for (const TriangleId t : m_around.of(VertexId(v)))
            for (const VertexId w : m_level.triangles[t])
                if (w != v) least = std::min(least, (place(w) - place(VertexId(v))).squaredNorm());
        const double length = double(steps[v].norm()), most = mostOfEdge * std::sqrt(least);
        if (length > most) steps[v] *= float(most / length);
    });
}

bool Polisher::isBadTurn(TriangleId t, const std::vector<Vec3f>& steps) const {
    const Triangle& triangle = m_level.triangles[t];
    std::array<Vec3d, 3> old, now;
    for (std::size_t k = 0; k < 3; ++k) {
        old[k] = place(triangle[k]);
        now[k] = old[k] + steps[triangle[k]].cast<double>();
    }
    const Vec3d before = areaNormal(old[0], old[1], old[2]), after = areaNormal(now[0], now[1], now[2]);
    if (before.dot(after) < leastTurn * before.norm() * after.norm()) return true;
    // Beside a line that becomes straight, it may come to stand on its edge, little by little.
    const bool isBesideLine =
        std::count_if(triangle.begin(), triangle.end(), [&](VertexId v) { return isOnLine(v); }) > 1;
    if (const TriangleId hit = m_hits[t * m_probes.size()]; isBesideLine && hit != noIndex) {
        const Triangle& there = m_from.mesh.triangles[hit];
        const Vec3d outwards = areaNormal(sourcePlace(there[0]), sourcePlace(there[1]), sourcePlace(there[2]));
        const double cosine = after.dot(outwards) / (after.norm() * outwards.norm());
        if (cosine < leastFacing && cosine < before.dot(outwards) / (before.norm() * outwards.norm())) return true;
    }
    const double shape = shapeOf(now[0], now[1], now[2]);
    return shape < needleQuality && shape < shapeOf(old[0], old[1], old[2]);
}

// Halves the steps that would turn a triangle too far or make a needle of it, until none does.
void Polisher::shortenBadSteps(std::vector<Vec3f>& steps) const {
    constexpr int halvings = 4;
    std::vector<std::uint8_t> halved(steps.size(), 0);
    const auto badOf = [&](const std::vector<TriangleId>& triangles) {
        return parallelFilter(triangles, [&](std::size_t i) { return isBadTurn(triangles[i], steps); });
    };
    std::vector<TriangleId> all(m_level.triangleCount());
    std::iota(all.begin(), all.end(), TriangleId(0));
    std::vector<TriangleId> bad = badOf(all);
    while (!bad.empty()) {
        // Only around what has changed can anything have become bad.
        std::vector<VertexId> changed;
        for (const TriangleId t : bad)
            for (const VertexId v : m_level.triangles[t])
                if (!steps[v].isZero(0)) changed.push_back(v);
        sortUnique(changed);
        std::vector<TriangleId> toLookAt;
        for (const VertexId v : changed) {
            steps[v] *= halved[v]++ < halvings ? 0.5F : 0.0F;
            for (const TriangleId t : m_around.of(v)) toLookAt.push_back(t);
        }
        sortUnique(toLookAt);
        bad = badOf(toLookAt);
    }
}

}  // namespace um
