#pragma once
/// The scan case: a head of brain coral, dense and organic, with the rim that a scan has where it stood.
#include "mesh/Mesh.h"

namespace um::demo {

/// About `triangles` triangles (the nearest 2 n²), one part, no UVs; in metres, y up, half a metre across.
Mesh makeCoralHead(std::size_t triangles);

}  // namespace um::demo
