#include "mesh/SurfaceWalk.h"

#include "base/Math.h"
#include "base/Parallel.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace um {

namespace {

// A walk comes closer with each step, and ends; this only says when it is not worth going on.
constexpr int mostWalkSteps = 256;

Sphere sphereAround(const std::array<Vec3d, 3>& corners) {
    const auto widened = [](const Vec3d& centre, double radius) {
        constexpr double rounding = 1e-6;
        return Sphere{centre.cast<float>(), float(radius + rounding * (radius + centre.norm()))};
    };
    // Around the longest edge, if the angle opposite to it is not sharp.
    for (std::size_t k = 0; k < 3; ++k) {
        const Vec3d &p = corners[k], &q = corners[(k + 1) % 3], &r = corners[(k + 2) % 3];
        if ((q - p).dot(r - p) <= 0) return widened((q + r) / 2, (r - q).norm() / 2);
    }
    const Vec3d b = corners[1] - corners[0], c = corners[2] - corners[0], normal = b.cross(c);
    const Vec3d centre =
        (c.squaredNorm() * normal.cross(b) + b.squaredNorm() * c.cross(normal)) / (2 * normal.squaredNorm());
    return widened(corners[0] + centre, centre.norm());
}

// Next to none: which way such a triangle faces is a matter of rounding.
bool hasNoArea(const Mesh& mesh, TriangleId t) {
    constexpr float least = 1e-4F;
    const Triangle& triangle = mesh.triangles[t];
    const Vec3f b = mesh.positions[triangle[1]] - mesh.positions[triangle[0]],
                c = mesh.positions[triangle[2]] - mesh.positions[triangle[0]];
    const float edges = b.squaredNorm() + c.squaredNorm();
    return b.cross(c).squaredNorm() <= least * least * edges * edges;
}

// The triangles or vertices that a search has looked at, by hash: a table that is half full at most. It starts small,
// for most searches are short; only where a start is hopelessly far off are there more than it can become large.
class LookedAt {
public:
    LookedAt() { std::fill_n(m_slots.begin(), m_size, noIndex); }

    bool isFull() const { return m_count == m_slots.size() / 2; }

    // To a table that is not full.
    // @returns whether it is new
    bool add(std::uint32_t t) {
        if (m_count == m_size / 2) grow();
        std::uint32_t& slot = slotOf(t);
        if (slot == t) return false;
        slot = t;
        ++m_count;
        return true;
    }

private:
    std::uint32_t& slotOf(std::uint32_t t) {
        std::size_t slot = mixBits(t) & (m_size - 1);
        while (m_slots[slot] != noIndex && m_slots[slot] != t) slot = (slot + 1) & (m_size - 1);
        return m_slots[slot];
    }

    void grow() {
        const std::vector<std::uint32_t> before(m_slots.begin(), m_slots.begin() + long(m_size));
        m_size = m_slots.size();
        m_slots.fill(noIndex);
        for (const std::uint32_t t : before)
            if (t != noIndex) slotOf(t) = t;
    }

    std::array<std::uint32_t, 4096> m_slots;
    std::size_t m_size = 256;  // in use now, a power of two
    std::size_t m_count = 0;
};

// Whether all of the triangle within is farther off than the best so far.
bool isBeyond(const Sphere& sphere, const Vec3f& p, const Closest& best) {
    const float reach = sphere.radius + float(std::sqrt(best.squaredDistance));
    return (sphere.centre - p).squaredNorm() > reach * reach;
}

}  // namespace

Closest closestOf(const Mesh& mesh, const Vec3d& p, TriangleId t) {
    const Triangle& triangle = mesh.triangles[t];
    const Vec3d a = mesh.positions[triangle[0]].cast<double>(), b = mesh.positions[triangle[1]].cast<double>(),
                c = mesh.positions[triangle[2]].cast<double>();
    const TrianglePoint at = closestOnTriangle(p, a, b, c);
    return {t, at, (at.of(a, b, c) - p).squaredNorm()};
}

Closest walkCloser(const Mesh& mesh, const VertexTriangles& around, const Vec3d& p, TriangleId start) {
    Closest best = closestOf(mesh, p, start);
    const auto look = [&](TriangleId t) {
        const Closest there = closestOf(mesh, p, t);
        if (there.squaredDistance < best.squaredDistance) best = there;
    };
    for (int step = 0; step < mostWalkSteps; ++step) {
        const Closest from = best;
        const Triangle& triangle = mesh.triangles[from.triangle];
        // So near to an edge, what lies beyond it may be closer: where surfaces meet at a right angle, rounding
        // decides.
        constexpr double nearEdge = 1e-4;
        const std::array<bool, 3> isOff = {from.at.first() <= nearEdge, from.at.second <= nearEdge,
                                           from.at.third <= nearEdge};
        const int off = int(isOff[0]) + int(isOff[1]) + int(isOff[2]);
        if (off == 0) break;
        const std::size_t k = off == 2 ? (isOff[0] ? (isOff[1] ? 2u : 1u) : 0u) : (isOff[0] ? 1u : 0u);
        // The other end of the edge, where it is an edge.
        const VertexId other = off == 2 ? noIndex : triangle[isOff[0] || isOff[1] ? 2 : 1];
        const auto isBeside = [&](TriangleId t) {
            return other == noIndex || (contains(mesh.triangles[t], triangle[k]) && contains(mesh.triangles[t], other));
        };
        const std::span<const TriangleId> near =
            other == noIndex ? around.of(triangle[k]) : trianglesNearEdge(around, triangle[k], other);
        for (const TriangleId t : near)
            if (t != from.triangle && isBeside(t)) look(t);
        if (best.triangle != from.triangle) continue;
        // A triangle without area hides what lies beyond it.
        for (const TriangleId t : near)
            if (isBeside(t) && hasNoArea(mesh, t))
                for (const VertexId v : mesh.triangles[t])
                    for (const TriangleId beyond : around.of(v)) look(beyond);
        if (best.triangle == from.triangle) break;
    }
    return best;
}

std::vector<Sphere> spheresOf(const Mesh& mesh) {
    std::vector<Sphere> spheres(mesh.triangleCount());
    parallelFor(spheres.size(), [&](std::size_t t) {
        const Triangle& triangle = mesh.triangles[t];
        spheres[t] =
            sphereAround({mesh.positions[triangle[0]].cast<double>(), mesh.positions[triangle[1]].cast<double>(),
                          mesh.positions[triangle[2]].cast<double>()});
    });
    return spheres;
}

Closest walkFromVertex(const Mesh& mesh, const VertexTriangles& around, const std::vector<Sphere>& spheres,
                       const Vec3d& p, VertexId start) {
    const std::span<const TriangleId> fan = around.of(start);
    Closest best = closestOf(mesh, p, fan.front());
    for (const TriangleId t : fan.subspan(1)) {
        if (isBeyond(spheres[t], p.cast<float>(), best)) continue;
        const Closest there = closestOf(mesh, p, t);
        if (there.squaredDistance < best.squaredDistance) best = there;
    }
    return walkCloser(mesh, around, p, best.triangle);
}

Closest walkWidely(const Mesh& mesh, const VertexTriangles& around, const std::vector<Sphere>& spheres, const Vec3d& p,
                   TriangleId start) {
    Closest best = closestOf(mesh, p, start);
    TriangleId before = noIndex;
    for (int step = 0; step < mostWalkSteps; ++step) {
        const Triangle from = mesh.triangles[best.triangle];
        const TriangleId here = best.triangle;
        for (const VertexId v : from) {
            // What lay around the last triangle too has been looked at.
            if (before != noIndex && contains(mesh.triangles[before], v)) continue;
            for (const TriangleId t : around.of(v)) {
                if (isBeyond(spheres[t], p.cast<float>(), best)) continue;
                const Closest there = closestOf(mesh, p, t);
                if (there.squaredDistance < best.squaredDistance) best = there;
            }
        }
        if (best.triangle == here) break;
        before = here;
    }
    return best;
}

Closest searchAround(const Mesh& mesh, const VertexTriangles& around, const Vec3d& p, TriangleId start) {
    constexpr double wider = 2;
    Closest best = closestOf(mesh, p, start);
    const double most = wider * wider * best.squaredDistance;
    LookedAt looked, lookedAround;
    looked.add(start);
    std::vector<TriangleId> within = {start};
    const auto look = [&](TriangleId t) {
        if (looked.isFull() || !looked.add(t)) return;
        const Closest there = closestOf(mesh, p, t);
        if (there.squaredDistance < best.squaredDistance) best = there;
        if (there.squaredDistance <= most) within.push_back(t);
    };
    for (std::size_t i = 0; i < within.size() && !looked.isFull(); ++i)
        for (const VertexId v : mesh.triangles[within[i]])
            if (lookedAround.isFull() || lookedAround.add(v))
                for (const TriangleId t : around.of(v)) look(t);
    return best;
}

}  // namespace um
