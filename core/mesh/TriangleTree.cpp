#include "mesh/TriangleTree.h"

#include "base/Lanes.h"
#include "base/Parallel.h"
#include "base/TrianglePoint.h"
#include "mesh/SpatialOrder.h"

#include <bit>
#include <cmath>
#include <limits>

namespace um {
namespace {

static_assert(laneCount == runLength);

// What single precision leaves uncertain of two distances, as a share of the largest coordinate: what is closest by
// less is decided in double precision. The steps of the reckoning add up to some twenty roundings at most.
constexpr float uncertain = 4e-6f;

// Squared distances are compared with (1 + boxSlack) of the smallest and a margin: no less than the square of the
// smallest distance and what is uncertain of it, since 2 d u <= boxSlack d^2 + u^2 / boxSlack.
constexpr float boxSlack = 0.01f;

float marginAt(float reach) {
    const float length = uncertain * reach;
    return length * length * (1 + 1 / boxSlack);
}

constexpr float farAway = std::numeric_limits<float>::max();

// How far points or boxes are from boxes along one axis.
[[gnu::always_inline]] inline Lanes gapBetween(const Lanes& low, const Lanes& high, const Lanes& otherLow,
                                               const Lanes& otherHigh) {
    return larger(larger(low - otherHigh, otherLow - high), Lanes{});
}

}  // namespace

// Up to eight points on their way down the tree. What is asked for each box and triangle becomes part of the way.
struct alignas(32) TriangleTree::Search {
    // A child of a node.
    struct Child {
        float fromMiddle;  // squared, from the middle of its box to that of all points
        std::uint32_t number;
    };
    struct Children {
        std::array<Child, laneCount> list;
        std::size_t count = 0;
    };

    // What all points have in common of a leaf's triangles.
    struct Sides {
        LaneArray zX, zY, zZ;           // square to the triangle
        LaneArray farX;                 // along the side from the second corner to the third
        LaneArray perSide, perFarSide;  // one by the squared length of the sides that end in the third corner
    };

    // A triangle that may be the closest to one of the points.
    struct alignas(32) Candidate {
        Lanes squared;  // distances
        TriangleId triangle;
    };
    static constexpr std::size_t mostCandidates = 64;

    bool reaches(const Boxes& boxes, std::size_t child) const;
    Children childrenNear(const Boxes& boxes, bool areJustAboveLeaves) const;
    std::uint32_t trianglesNear(const Leaf& leaf) const;
    static Sides sidesOf(const Leaf& leaf);
    Lanes squaredDistances(const Leaf& leaf, const Sides& sides, std::size_t t) const;

    std::span<const Vec3d> points;
    std::span<SurfacePoint> closest;
    Lanes at[3];
    Lanes reach;                             // squared: what is farther from the point is of no use
    Lanes farthest;                          // the largest of them in all lanes
    std::array<float, 3> low, high, middle;  // of all points
    float margin;
    std::size_t count = 0;
    std::array<Candidate, mostCandidates> candidates;
};

TriangleTree::TriangleTree(const Mesh& mesh, const Progress& progress) : m_mesh(mesh) {
    RawVector<Placed> items(mesh.triangleCount());
    parallelFor(items.size(), [&](std::size_t t) {
        const auto [a, b, c] = corners(TriangleId(t));
        const Vec3f middle = (a + b + c) / 3;
        items[t] = {{middle[0], middle[1], middle[2]}, TriangleId(t)};
    });
    progress.at(0.1);
    orderByPlace(items, progress);
    progress.at(0.6);
    m_order.resize(items.size());
    parallelFor(items.size(), [&](std::size_t i) { m_order[i] = items[i].id; });
    fillLeaves(progress);
    progress.at(0.95);
    addLevels();
    progress.at(1);
}

void TriangleTree::fillLeaves(const Progress& progress) {
    m_leaves = RawVector<Leaf>(chunkCount(m_order.size(), laneCount));
    m_levels.emplace_back(chunkCount(m_leaves.size(), laneCount));
    parallelChunks(m_leaves.size(), laneCount, [&](std::size_t node, std::size_t begin, std::size_t end) {
        progress.check();
        Boxes& boxes = m_levels[0][node];
        for (std::size_t axis = 0; axis < 3; ++axis) {
            boxes.low[axis].values.fill(farAway);
            boxes.high[axis].values.fill(-farAway);
        }
        for (std::size_t leaf = begin; leaf < end; ++leaf) fillLeaf(leaf);
    });
    for (const Boxes& boxes : m_levels[0])
        for (std::size_t axis = 0; axis < 3; ++axis)
            for (std::size_t i = 0; i < laneCount && boxes.low[axis][i] <= boxes.high[axis][i]; ++i)
                m_reach = std::max({m_reach, std::abs(boxes.low[axis][i]), std::abs(boxes.high[axis][i])});
}

void TriangleTree::fillLeaf(std::size_t number) {
    Leaf& leaf = m_leaves[number];
    Boxes& boxes = m_levels[0][number / laneCount];
    const std::size_t child = number % laneCount;
    for (std::size_t i = 0; i < laneCount; ++i) {
        // What is left of the last leaf repeats the last triangle.
        const TriangleId t = m_order[std::min(number * laneCount + i, m_order.size() - 1)];
        const auto [a, b, c] = corners(t);
        const Vec3d first = a.cast<double>(), second = b.cast<double>() - first, third = c.cast<double>() - first;
        const Vec3d along = second.squaredNorm() > 0 ? second : third;
        const Vec3d x = along.squaredNorm() > 0 ? along.normalized() : Vec3d(Vec3d::UnitX());
        const Vec3d off = third - third.dot(x) * x;
        // Once more: what is left of a needle's side is not yet square to its base. Where it is but rounding, the
        // triangle is a line, and any axis square to it will do.
        const Vec3d square = off - off.dot(x) * x;
        const bool isLine = square.norm() <= 1e-12 * third.norm();
        const Vec3d y = isLine ? Vec3d(x.unitOrthogonal()) : square.normalized();
        for (std::size_t axis = 0; axis < 3; ++axis) {
            const auto k = long(axis);
            leaf.origin[axis][i] = a[k];
            leaf.xAxis[axis][i] = float(x[k]);
            leaf.yAxis[axis][i] = float(y[k]);
            boxes.low[axis][child] = std::min({boxes.low[axis][child], a[k], b[k], c[k]});
            boxes.high[axis][child] = std::max({boxes.high[axis][child], a[k], b[k], c[k]});
        }
        leaf.length[i] = float(second.norm());
        leaf.thirdX[i] = float(third.dot(x));
        leaf.thirdY[i] = float(third.dot(y));
        leaf.triangles[i] = t;
    }
}

void TriangleTree::addLevels() {
    while (m_levels.back().size() > 1) {
        const RawVector<Boxes>& below = m_levels.back();
        RawVector<Boxes> level(chunkCount(below.size(), laneCount));
        for (std::size_t i = 0; i < level.size() * laneCount; ++i)
            for (std::size_t axis = 0; axis < 3; ++axis) {
                float low = farAway, high = -farAway;
                if (i < below.size()) {
                    low = std::ranges::min(below[i].low[axis].values);
                    high = std::ranges::max(below[i].high[axis].values);
                }
                level[i / laneCount].low[axis][i % laneCount] = low;
                level[i / laneCount].high[axis][i % laneCount] = high;
            }
        m_levels.push_back(std::move(level));
    }
}

SurfacePoint TriangleTree::closestOn(TriangleId t, const Vec3d& p) const {
    const auto [first, second, third] = corners(t);
    const Vec3d a = first.cast<double>(), b = second.cast<double>(), c = third.cast<double>();
    const Vec3d place = closestOnTriangle(p, a, b, c).of(a, b, c);
    return {t, place, (place - p).norm()};
}

// Whether one of the points is near enough to a box.
[[gnu::always_inline]] inline bool TriangleTree::Search::reaches(const Boxes& boxes, std::size_t child) const {
    Lanes apart{};
    for (std::size_t axis = 0; axis < 3; ++axis) {
        const Lanes gap =
            gapBetween(Lanes{} + boxes.low[axis][child], Lanes{} + boxes.high[axis][child], at[axis], at[axis]);
        apart += gap * gap;
    }
    return bitsOfSmaller(apart, reach) != 0;
}

// Those that are near all points together, the closest last.
[[gnu::always_inline]] inline TriangleTree::Search::Children TriangleTree::Search::childrenNear(
    const Boxes& boxes, bool areJustAboveLeaves) const {
    Lanes apart{}, fromMiddle{};
    for (std::size_t axis = 0; axis < 3; ++axis) {
        const Lanes boxLow = lanesOf(boxes.low[axis]), boxHigh = lanesOf(boxes.high[axis]);
        const Lanes gap = gapBetween(boxLow, boxHigh, Lanes{} + low[axis], Lanes{} + high[axis]);
        apart += gap * gap;
        const Lanes off = (boxLow + boxHigh) * 0.5f - middle[axis];
        fromMiddle += off * off;
    }
    Children near;
    for (std::uint32_t bits = bitsOfSmaller(apart, farthest); bits != 0; bits &= bits - 1) {
        const auto child = std::uint32_t(std::countr_zero(bits));
        // Leaves are asked when their turn comes, and for higher boxes it does not pay.
        if (areJustAboveLeaves && !reaches(boxes, child)) continue;
        std::size_t place = near.count++;
        for (; place > 0 && near.list[place - 1].fromMiddle < fromMiddle[child]; --place)
            near.list[place] = near.list[place - 1];
        near.list[place] = {fromMiddle[child], child};
    }
    return near;
}

// A bit for each triangle whose box is near all points together.
[[gnu::always_inline]] inline std::uint32_t TriangleTree::Search::trianglesNear(const Leaf& leaf) const {
    const Lanes length = lanesOf(leaf.length), thirdX = lanesOf(leaf.thirdX), thirdY = lanesOf(leaf.thirdY);
    Lanes apart{};
    for (std::size_t axis = 0; axis < 3; ++axis) {
        const Lanes xAxis = lanesOf(leaf.xAxis[axis]), origin = lanesOf(leaf.origin[axis]);
        const Lanes second = length * xAxis, third = thirdX * xAxis + thirdY * lanesOf(leaf.yAxis[axis]);
        const Lanes gap =
            gapBetween(origin + smaller(smaller(second, third), Lanes{}),
                       origin + larger(larger(second, third), Lanes{}), Lanes{} + low[axis], Lanes{} + high[axis]);
        apart += gap * gap;
    }
    return bitsOfSmaller(apart, farthest);
}

[[gnu::always_inline]] inline TriangleTree::Search::Sides TriangleTree::Search::sidesOf(const Leaf& leaf) {
    const Lanes xAxis[3] = {lanesOf(leaf.xAxis[0]), lanesOf(leaf.xAxis[1]), lanesOf(leaf.xAxis[2])};
    const Lanes yAxis[3] = {lanesOf(leaf.yAxis[0]), lanesOf(leaf.yAxis[1]), lanesOf(leaf.yAxis[2])};
    const Lanes thirdX = lanesOf(leaf.thirdX), thirdY = lanesOf(leaf.thirdY), farX = thirdX - lanesOf(leaf.length);
    const Lanes tiny = Lanes{} + std::numeric_limits<float>::min();
    return {arrayOf(xAxis[1] * yAxis[2] - xAxis[2] * yAxis[1]),
            arrayOf(xAxis[2] * yAxis[0] - xAxis[0] * yAxis[2]),
            arrayOf(xAxis[0] * yAxis[1] - xAxis[1] * yAxis[0]),
            arrayOf(farX),
            arrayOf(1.0f / larger(thirdX * thirdX + thirdY * thirdY, tiny)),
            arrayOf(1.0f / larger(farX * farX + thirdY * thirdY, tiny))};
}

// From all points to one triangle.
[[gnu::always_inline]] inline Lanes TriangleTree::Search::squaredDistances(const Leaf& leaf, const Sides& sides,
                                                                           std::size_t t) const {
    const Lanes offX = at[0] - leaf.origin[0][t], offY = at[1] - leaf.origin[1][t], offZ = at[2] - leaf.origin[2][t];
    const Lanes x = offX * leaf.xAxis[0][t] + (offY * leaf.xAxis[1][t] + offZ * leaf.xAxis[2][t]);
    const Lanes y = offX * leaf.yAxis[0][t] + (offY * leaf.yAxis[1][t] + offZ * leaf.yAxis[2][t]);
    const Lanes z = offX * sides.zX[t] + (offY * sides.zY[t] + offZ * sides.zZ[t]);
    const Lanes fromSecond = x - leaf.length[t];
    const float thirdX = leaf.thirdX[t], thirdY = leaf.thirdY[t], farX = sides.farX[t];
    // In the plane, to each of the three sides.
    const Lanes beyond = larger(smaller(x, Lanes{}), fromSecond);
    const Lanes toBase = beyond * beyond + y * y;
    const Lanes share = between0And1((x * thirdX + y * thirdY) * sides.perSide[t]);
    const Lanes sideX = x - share * thirdX, sideY = y - share * thirdY;
    const Lanes toSide = sideX * sideX + sideY * sideY;
    const Lanes farShare = between0And1((fromSecond * farX + y * thirdY) * sides.perFarSide[t]);
    const Lanes farSideX = fromSecond - farShare * farX, farSideY = y - farShare * thirdY;
    const Lanes toFarSide = farSideX * farSideX + farSideY * farSideY;
    const Lanes toSides = smaller(smaller(toBase, toSide), toFarSide);
    const Lanes inwards = smaller(smaller(x * thirdY - y * thirdX, y * farX - fromSecond * thirdY), y);
    return (inwards > 0.0f ? Lanes{} : toSides) + z * z;
}

#ifdef __x86_64__
[[gnu::target_clones("avx2", "default")]]
#endif
void TriangleTree::look(Search& search) const {
    struct Visit {
        std::uint32_t level, node;
    };
    // A node leaves seven children behind at most, and there are no more than eleven levels.
    std::array<Visit, 96> stack;
    std::size_t waiting = 0;
    stack[waiting++] = {std::uint32_t(m_levels.size() - 1), 0};
    while (waiting > 0) {
        const Visit visit = stack[--waiting];
        const Boxes& boxes = m_levels[visit.level][visit.node];
        const std::uint32_t first = visit.node * std::uint32_t(laneCount);
        Search::Children near = search.childrenNear(boxes, visit.level == 1);
        if (visit.level > 0) {
            for (std::size_t k = 0; k < near.count; ++k)
                stack[waiting++] = {visit.level - 1, first + near.list[k].number};
            continue;
        }
        for (std::size_t k = 0; k < near.count; ++k) {
            const auto* leaf = reinterpret_cast<const char*>(&m_leaves[first + near.list[k].number]);
            for (std::size_t line = 0; line < sizeof(Leaf); line += 64) __builtin_prefetch(leaf + line);
        }
        while (near.count-- > 0) {
            const std::uint32_t child = near.list[near.count].number;
            if (!search.reaches(boxes, child)) continue;
            const Leaf& leaf = m_leaves[first + child];
            std::uint32_t bits = search.trianglesNear(leaf);
            if (bits == 0) continue;
            const Search::Sides sides = Search::sidesOf(leaf);
            for (; bits != 0; bits &= bits - 1) {
                const auto t = std::size_t(std::countr_zero(bits));
                const Lanes squared = search.squaredDistances(leaf, sides, t);
                search.candidates[search.count] = {squared, leaf.triangles[t]};
                __builtin_prefetch(&m_mesh.triangles[leaf.triangles[t]]);
                search.count += bitsOfSmaller(squared, search.reach) != 0 ? 1 : 0;
                search.reach = smaller(search.reach, squared * (1 + boxSlack) + search.margin);
                if (search.count == Search::mostCandidates) settle(search);
            }
            search.farthest = Lanes{} + largestOf(search.reach);
        }
    }
}

// Takes the closest of the candidates.
void TriangleTree::settle(Search& search) const {
    const std::uint32_t asked = (1u << search.points.size()) - 1;
    for (std::size_t k = 0; k < search.count; ++k) {
        const Search::Candidate& candidate = search.candidates[k];
        for (std::uint32_t bits = bitsOfSmaller(candidate.squared, search.reach) & asked; bits != 0; bits &= bits - 1) {
            const auto i = std::size_t(std::countr_zero(bits));
            SurfacePoint& best = search.closest[i];
            const SurfacePoint found = closestOn(candidate.triangle, search.points[i]);
            if (found.distance < best.distance || (found.distance == best.distance && found.triangle < best.triangle))
                best = found;
        }
    }
    search.count = 0;
}

void TriangleTree::findClosest(std::span<const Vec3d> points, TriangleId hint, std::span<SurfacePoint> closest) const {
    Search search;
    search.points = points;
    search.closest = closest;
    float reach = m_reach;
    for (std::size_t axis = 0; axis < 3; ++axis) {
        // What is left of the lanes repeats the last point.
        for (std::size_t i = 0; i < laneCount; ++i)
            search.at[axis][i] = float(points[std::min(i, points.size() - 1)][long(axis)]);
        search.low[axis] = smallestOf(search.at[axis]);
        search.high[axis] = largestOf(search.at[axis]);
        search.middle[axis] = (search.low[axis] + search.high[axis]) / 2;
        reach = std::max({reach, std::abs(search.low[axis]), std::abs(search.high[axis])});
    }
    search.margin = marginAt(reach);
    // All of them are at least as close as to one place of the surface.
    const Vec3d middle(double(search.middle[0]), double(search.middle[1]), double(search.middle[2]));
    const Vec3d near = closestOn(hint, middle).place;
    Lanes apart{};
    for (std::size_t axis = 0; axis < 3; ++axis) {
        const Lanes off = search.at[axis] - float(near[long(axis)]);
        apart += off * off;
    }
    search.reach = apart * (1 + boxSlack) + search.margin;
    search.farthest = Lanes{} + largestOf(search.reach);
    for (std::size_t i = 0; i < points.size(); ++i) closest[i] = {hint, near, (points[i] - near).norm()};
    look(search);
    settle(search);
}

SurfacePoint TriangleTree::closestTo(const Vec3d& p, TriangleId hint) const {
    SurfacePoint closest;
    findClosest(std::span(&p, 1), hint, std::span(&closest, 1));
    return closest;
}

}  // namespace um
