#pragma once
/// Distances in the plane, for tests that measure charts.
#include "base/Math.h"

#include <algorithm>

namespace um::test {

inline double distanceToSegment(const Vec2d& p, const Vec2d& a, const Vec2d& b) {
    const double along = std::clamp((p - a).dot(b - a) / (b - a).squaredNorm(), 0.0, 1.0);
    return (p - a - along * (b - a)).norm();
}

}  // namespace um::test
