#pragma once
/// What sheets cost and how well they are used.
#include <cstddef>

namespace um::bench {

/// Lamp and jar at 2,000 to 40,000 triangles: seconds (median of `runs`), stretch, fill and charts of their sheets.
void unwrapping(int runs);

/// The time of baking the coral head onto 12,000 against that of casting as many rays without anything around it.
void baking(std::size_t triangles);

}  // namespace um::bench
