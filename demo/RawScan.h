#pragma once
#include "mesh/Mesh.h"

namespace um::demo {

/// The coral head as it comes off a scanner, about 200 k triangles: with holes, dust, a patch turned inside out, and
/// triangles that were written twice.
Mesh makeRawScan();

}  // namespace um::demo
