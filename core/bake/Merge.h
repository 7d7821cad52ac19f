#pragma once
/// All materials of a mesh in one sheet, without touching its geometry.
#include "bake/Bake.h"
#include "bake/SheetShare.h"

namespace um {

/// In the place of a sheet's number: keeps its own textures and UVs.
constexpr int leftOut = -1;

struct MergeSettings {
    int sheet = 2048;
    int padding = 8;
    SheetShare share = SheetShare::Density;
    int samples = 2;  ///< in each direction of a texel
    /// On which sheet each of the mesh's materials goes, or `leftOut`; empty for all on the first. Numbers of sheets on
    /// which nothing is are passed over.
    std::vector<int> sheetOf;
    /// Groups of materials, of which the first takes the place of the others beforehand.
    std::vector<std::vector<std::uint32_t>> alike;
    DressSettings dress;
};

/// Of the textures that go by the first UVs, in texels; 0 where a material has none.
Vec2d largestTexture(const Mesh& mesh, const Material& material);

/// On which sheet each material goes, numbered without gaps; those without triangles on none.
std::vector<int> sheetsOfMaterials(const Mesh& mesh, const MergeSettings& settings);
/// How many sheets those are.
int countOf(const std::vector<int>& sheetOf);

struct MergedSheet {
    double fill = 0;     ///< share of the sheet that is used
    double density = 0;  ///< of the texels that the source's own textures have along a side; above 1 there are more
};

/// How the sheets come out, laid out as they will be, but without any image.
/// @throws as mergeMaterials
std::vector<MergedSheet> layOutMerge(const Mesh& mesh, const MergeSettings& settings, const Progress& progress);

struct Merged {
    Mesh mesh;  ///< the same vertices and triangles; those are grouped by draw call
    std::size_t islands = 0;
    std::vector<MergedSheet> sheets;
    std::vector<std::string> notes;
};

/// Pieces of UVs keep their shape and are laid out anew; where textures repeat they are unrolled; what has no texture
/// becomes a few texels of its colour. Where all keep their textures, those alike are joined and nothing else changes.
/// Transparent and cut-out materials, and those seen from both sides, keep a material of their own with the same sheet.
/// @throws MeshError   if the mesh is not sound
/// @throws InputError  if the pieces do not fit on the sheet, or there is nothing to do
/// @throws Cancelled
Merged mergeMaterials(const Mesh& mesh, const MergeSettings& settings, const Progress& progress);

}  // namespace um
