#pragma once
/// A reduction with a copy at each halving of the count, to go on from wherever a search wants to.
#include "reduce/Reduce.h"

namespace um {

/// From half of `triangles` down to where no halving succeeds; the finest first.
/// @throws MeshError, Cancelled
std::vector<Reduction> halvings(const Mesh& source, std::size_t triangles, const ReduceSettings& settings,
                                const Progress& progress);

}  // namespace um
