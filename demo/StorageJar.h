#pragma once
/// Storage jar 07 of the Skerry wreck: two handles, chips, incised bands, barnacles, a rope collar and a stopper.
#include "mesh/Mesh.h"

namespace um::demo {

/// About a million triangles in five parts of five materials, with UVs; in metres, y up, 0.6 m tall.
Mesh makeStorageJar();

}  // namespace um::demo
