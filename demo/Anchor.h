#pragma once
/// The silhouette carrier: an old stocked anchor, long and thin, corroded.
#include "mesh/Mesh.h"

namespace um::demo {

/// About 500 k triangles in metres, y up, 2.6 m tall; parts Shank, Arms, Flukes, Stock, Ring and Crust (loose bits).
Mesh makeAnchor();

}  // namespace um::demo
