#pragma once
/// Simpler materials for distant levels.
#include "base/Progress.h"
#include "mesh/Mesh.h"

#include <string>
#include <string_view>

namespace um {

/// The materials that a level keeps, from all to least.
enum class MaterialKeeping : unsigned char {
    All,
    NoFineMaps,  ///< without normal and occlusion maps
    BaseColor,   ///< only the texture of the base colour
    Flat,        ///< one colour for each material: the mean of the texture over its triangles
    OneSlot,     ///< those colours at the vertices of one material and one part: a single draw call
    Baked        ///< none, but new UVs and textures with the look of the source
};

/// `all`, `no fine maps`, `base colour`, `flat`, `one slot`, `baked`.
std::string nameOf(MaterialKeeping keeping);
/// @throws InputError  naming those that there are
MaterialKeeping parseMaterialKeeping(std::string_view text);

/// The level with fewer materials; as it is for Baked, which needs the source. Textures that no material uses any more
/// are dropped.
/// @throws MeshError  if a texture whose mean is asked for cannot be read
/// @throws Cancelled
Mesh withMaterials(const Mesh& level, MaterialKeeping keeping, const Progress& progress);

/// The level with each texture at most as large as gives its median place a texel for a pixel. Textures that are
/// small enough stay byte for byte; others are averaged down and written as PNG.
/// @param pixelsPerUnit  where the level is seen from nearest
/// @throws MeshError  if a texture that is too large cannot be read
/// @throws Cancelled
Mesh withFittingTextures(const Mesh& level, double pixelsPerUnit, const Progress& progress);

}  // namespace um
