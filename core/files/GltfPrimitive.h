#pragma once
/// A section of a mesh as a primitive of a glTF file: plain, in fewer bytes, or compressed.
#include "files/Gltf.h"
#include "files/GltfBuffer.h"

namespace um {

/// The arrays of one primitive: the wedges of a section, numbered in the order in which its triangles use them.
struct GltfPrimitive {
    std::vector<Vec3f> positions, normals;  ///< in metres
    std::vector<Vec4f> tangents;
    std::vector<Vec2f> uvs, secondUvs;
    std::vector<Color> colors;
    std::vector<std::array<std::uint16_t, 4>> joints;
    std::vector<std::array<float, 4>> weights;
    std::vector<std::vector<Vec3f>> offsets;  ///< of each morph
    std::vector<Triangle> triangles;

    /// Whether any vertex follows a joint. Where none does, the primitive is not skinned.
    bool isSkinned() const;
};

/// The grid on which the positions of a whole level are counted, so that parts that meet still do.
struct GltfGrid {
    Vec3f middle = Vec3f::Zero();
    float halfSize = 1;  ///< metres
};

struct GltfPrimitiveStyle {
    GltfPacking packing = GltfPacking::None;
    bool onGrid = false;  ///< positions are counted on the grid; its node scales them back
    GltfGrid grid;
};

/// Adds it to the file. @returns its JSON, without a material
Json addPrimitive(GltfBuffer& buffer, const GltfPrimitive& primitive, bool skinned, const GltfPrimitiveStyle& style);

/// What Draco makes of a primitive.
struct DracoPrimitive {
    std::vector<char> bytes;
    std::size_t vertices = 0, triangles = 0;
    std::vector<int> numbers;  ///< of the attributes, in the order of position, normal, UV, second UV, colour, joints,
                               ///< weights; -1 for those that are not there
};

/// Positions in 14 bits of the grid, normals in 10, UVs in 12; the rest as it is.
/// @throws FileError  if it cannot be compressed
DracoPrimitive compressWithDraco(const GltfPrimitive& primitive, bool skinned, const GltfGrid& grid);

}  // namespace um
