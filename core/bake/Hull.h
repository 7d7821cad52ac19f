#pragma once
/// The convex hull of flat pieces.
#include "base/Math.h"

#include <vector>

namespace um {

/// The corners of the hull, counterclockwise; those in a row are left out. Fewer than three if all points are in a row.
/// Source: Andrew 1979, Information Processing Letters 9(5): the monotone chain.
std::vector<Vec2d> convexHull(std::vector<Vec2d> points);

/// An upright box around something turned.
struct UprightBox {
    double angle = 0;              ///< by which it is turned, in radians against the clock
    double width = 0, height = 0;  ///< the height is no larger
};

/// The smallest around the points. It has a side along one of the hull.
/// Source: Freeman & Shapira 1975, Communications of the ACM 18(7).
UprightBox smallestBox(const std::vector<Vec2d>& points);

/// Positive where the corners run counterclockwise.
double polygonArea(const std::vector<Vec2d>& corners);

/// Of all its sides.
double polygonLength(const std::vector<Vec2d>& corners);

}  // namespace um
