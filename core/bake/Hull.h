#pragma once
/// The convex hull of flat pieces.
#include "base/Math.h"

#include <vector>

namespace um {

/// The corners of the hull, counterclockwise; those in a row are left out. Fewer than three if all points are in a row.
/// Source: Andrew 1979, Information Processing Letters 9(5): the monotone chain.
std::vector<Vec2d> convexHull(std::vector<Vec2d> points);

/// Positive where the corners run counterclockwise.
double polygonArea(const std::vector<Vec2d>& corners);

}  // namespace um
