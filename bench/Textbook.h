#pragma once
/// The yardstick for quality and speed: quadric contraction as the textbook has it, one edge at a time from a heap.
#include "mesh/Mesh.h"

namespace um::bench {

/// Garland & Heckbert 1997 with area-weighted quadrics, optimal placement, border planes, and a check against flipped
/// triangles. Positions only.
Mesh reduceByTextbook(const Mesh& source, std::size_t targetTriangles);

}  // namespace um::bench
