#pragma once
/// The Diver's lamp: hard surface, six materials, the case for baking and merging materials.
#include "mesh/Mesh.h"

namespace um::demo {

/// Body, Rings, Cage, Grip, Lens, Glass, Bulb, Reflector and Screws, about 400 k triangles, 31 cm tall, base at the
/// origin, in metres. Textures of several sizes: brass (all five, one of them tiling), two paints that are nearly
/// alike, rubber in one flat colour, glass that lets light through, a filament that shines. The two halves of the cage
/// share mirrored UVs; bulb and reflector are seen only through the glass.
Mesh makeDiversLamp();

}  // namespace um::demo
