#pragma once
/// The closest point of a triangle.
#include "base/Math.h"

#include <algorithm>

namespace um {

/// A point of a triangle in barycentric coordinates: the weights of the second and third corner. The first has the
/// rest.
struct TrianglePoint {
    double second = 0, third = 0;

    double first() const { return 1 - second - third; }
    Vec3d of(const Vec3d& a, const Vec3d& b, const Vec3d& c) const { return a + second * (b - a) + third * (c - a); }
};

/// Of `inside` and the closest points on the three sides, the one closest to p.
inline TrianglePoint closestOnNeedle(const Vec3d& p, const Vec3d& a, const Vec3d& b, const Vec3d& c,
                                     const TrianglePoint& inside) {
    const auto share = [&](const Vec3d& from, const Vec3d& to) {
        const Vec3d along = to - from;
        const double length = along.squaredNorm();
        return length > 0 ? std::clamp((p - from).dot(along) / length, 0.0, 1.0) : 0.0;
    };
    const double onFar = share(b, c);
    TrianglePoint best{share(a, b), 0};
    for (const TrianglePoint& other : {TrianglePoint{0, share(a, c)}, TrianglePoint{1 - onFar, onFar}, inside})
        if ((other.of(a, b, c) - p).squaredNorm() < (best.of(a, b, c) - p).squaredNorm()) best = other;
    return best;
}

/// The closest point of the triangle a b c to p.
/// Source: Ericson 2004, Real-Time Collision Detection, 5.1.5.
inline TrianglePoint closestOnTriangle(const Vec3d& p, const Vec3d& a, const Vec3d& b, const Vec3d& c) {
    const Vec3d ab = b - a, ac = c - a, ap = p - a;
    const double d1 = ab.dot(ap), d2 = ac.dot(ap);
    if (d1 <= 0 && d2 <= 0) return {0, 0};
    const Vec3d bp = p - b;
    const double d3 = ab.dot(bp), d4 = ac.dot(bp);
    if (d3 >= 0 && d4 <= d3) return {1, 0};
    const double vc = d1 * d4 - d3 * d2;
    if (vc <= 0 && d1 >= 0 && d3 <= 0 && d1 - d3 > 0) return {d1 / (d1 - d3), 0};
    const Vec3d cp = p - c;
    const double d5 = ab.dot(cp), d6 = ac.dot(cp);
    if (d6 >= 0 && d5 <= d6) return {0, 1};
    const double vb = d5 * d2 - d1 * d6;
    if (vb <= 0 && d2 >= 0 && d6 <= 0 && d2 - d6 > 0) return {0, d2 / (d2 - d6)};
    const double va = d3 * d6 - d5 * d4;
    const double e1 = d4 - d3, e2 = d5 - d6;
    if (va <= 0 && e1 >= 0 && e2 >= 0 && e1 + e2 > 0) return {e2 / (e1 + e2), e1 / (e1 + e2)};
    const double sum = va + vb + vc;  // (twice the area)^2
    // For needles rounding may be the reason for an inner point: a side may be closer.
    constexpr double needle = 1e-9;  // thinner than 1 to 30,000, squared
    const double squaredLength = std::max(d1 - d3, d2 - d6);
    if (!(sum > needle * squaredLength * squaredLength)) {
        const bool isInside = va >= 0 && vb >= 0 && vc >= 0 && sum > 0;
        return closestOnNeedle(p, a, b, c, isInside ? TrianglePoint{vb / sum, vc / sum} : TrianglePoint());
    }
    return {vb / sum, vc / sum};
}

}  // namespace um
