#pragma once
/// A reduction with a copy at each halving of the count, to go on from wherever a search wants to.
#include "reduce/Reduce.h"

namespace um {

/// From the whole source down to where no halving succeeds; the finest first.
/// @throws MeshError, Cancelled
std::vector<Reduction> halvings(const Mesh& source, const ReduceSettings& settings, const Progress& progress);

}  // namespace um
