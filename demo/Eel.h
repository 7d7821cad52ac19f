#pragma once
/// The character case: a conger eel with skin on a chain of joints, an inner mouth, teeth and eyes.
#include "mesh/Mesh.h"

namespace um::demo {

/// About 260 k triangles in metres, y up, 1.6 m long; parts Body, Inner mouth, Teeth and Eyes; a skeleton of a spine
/// and a jaw, at most four influences on each vertex, and a blend shape that opens the mouth.
Mesh makeEel();

}  // namespace um::demo
