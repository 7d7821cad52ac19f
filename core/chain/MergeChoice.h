#pragma once
/// The merge settings of a document, as the user chose them.
#include "bake/Merge.h"
#include "chain/BakeChoice.h"

namespace um {

/// Settings for the materials of the source, and for all meshes with the same number of materials.
struct MergeChoice {
    int sheet = 0;  ///< texels on a side; 0 for the size of the bake settings
    SheetShare share = SheetShare::Density;
    bool joinParts = false;
    std::vector<int> sheetOf;            ///< sheet of each material, or `leftOut`; empty for the default
    std::vector<std::uint32_t> standIn;  ///< for each material the one that replaces it, or its own index

    bool operator==(const MergeChoice&) const = default;
};

/// The settings for a mesh with this number of materials; all on one sheet if they were made for another number.
MergeChoice fittedTo(MergeChoice choice, std::size_t materials);

/// Padding and bits come from the bake settings.
/// @param choice  fitted to the mesh to merge
MergeSettings settingsFor(const MergeChoice& choice, const BakeChoice& bake);

/// The JSON that documents keep.
std::string mergeChoiceJson(const MergeChoice& choice);
/// @throws InputError
MergeChoice mergeChoiceFromJson(const std::string& text);

}  // namespace um
