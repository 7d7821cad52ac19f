#pragma once
/// Triangulation of polygons from files.
#include "mesh/Mesh.h"

#include <span>

namespace um {

/// Cuts a polygon (3 corners or more, convex or not, nearly flat) into corners.size() - 2 triangles by ear clipping;
/// the triangles hold indices into `corners`. A hole may be reached by a slit, whose corners then come twice. Where a
/// polygon crosses itself, the rest that has no ear is cut as a fan. About O(n) for polygons as files have them.
void triangulatePolygon(std::span<const Vec3f> corners, std::vector<Triangle>& triangles);

}  // namespace um
