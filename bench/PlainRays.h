#pragma once
/// The yardstick of baking: rays as a bake casts them, with nothing else around.
#include "mesh/Mesh.h"

namespace um::bench {

/// Seconds for `count` rays from places spread over `from`, along its normals and against them, to the first triangle
/// of `target`; on all cores. Building the search structure counts.
double secondsOfPlainRays(const Mesh& target, const Mesh& from, std::size_t count);

}  // namespace um::bench
