#pragma once
/// Lists of materials and textures: their use by triangles, and their cost.
#include "mesh/Mesh.h"

namespace um {

/// Bytes on the graphics card, with mip levels.
inline double textureMemory(double width, double height, int bits = 8) {
    return 4 * width * height * (bits / 8) * 4 / 3;
}

inline double textureMemory(const Texture& texture) {
    return textureMemory(texture.width, texture.height, texture.bits);
}

/// Sorts triangles by their parts and the materials given for them, and makes the sections anew.
/// @param joinParts  whether all parts become one
void groupByMaterial(Mesh& mesh, const std::vector<std::uint32_t>& materialOf, bool joinParts);

/// Drops the textures that no material uses. Keeps the order in which materials use them.
void dropUnusedTextures(Mesh& mesh);

/// Whether each material has any triangles.
std::vector<std::uint8_t> usedMaterials(const Mesh& mesh);

}  // namespace um
