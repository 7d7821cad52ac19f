#pragma once
/// All materials of a mesh in one sheet, without touching its geometry.
#include "bake/Bake.h"
#include "bake/SheetShare.h"

namespace um {

struct MergeSettings {
    int sheet = 2048;
    int padding = 8;
    SheetShare share = SheetShare::Density;
    int samples = 2;  ///< in each direction of a texel
    BakeChannels channels;
    bool joinParts = false;
};

struct MaterialCost {
    std::size_t materials = 0, textures = 0, drawCalls = 0;
    double textureBytes = 0;  ///< on the graphics card, with the smaller copies
};

MaterialCost materialCostOf(const Mesh& mesh);

/// What the merged mesh will cost, before anything is computed.
MaterialCost predictMerge(const Mesh& mesh, const MergeSettings& settings);

struct Merged {
    Mesh mesh;  ///< the same vertices and triangles; those are grouped by draw call
    std::size_t islands = 0;
    double fill = 0;     ///< share of the sheet that is used
    double density = 0;  ///< of the texels that the source's own textures have along a side; above 1 there are more
    std::vector<std::string> notes;
};

/// Pieces of UVs keep their shape and are laid out anew; where textures repeat they are unrolled; what has no texture
/// becomes a few texels of its colour. Transparent and cut-out materials, and those seen from both sides, keep a
/// material of their own with the same sheet.
/// @throws MeshError   if the mesh is not sound
/// @throws InputError  if the pieces do not fit on the sheet
/// @throws Cancelled
Merged mergeMaterials(const Mesh& mesh, const MergeSettings& settings, const Progress& progress);

}  // namespace um
