#pragma once
/// How materials are merged, as it is chosen by hand for a document.
#include "bake/Merge.h"
#include "chain/BakeChoice.h"

namespace um {

/// For the materials of the source, and of each mesh with as many.
struct MergeChoice {
    int sheet = 0;  ///< texels on a side; 0 for as many as a bake's
    SheetShare share = SheetShare::Density;
    bool joinParts = false;
    std::vector<int> sheetOf;            ///< of each material, or `leftOut`; empty while nothing was decided
    std::vector<std::uint32_t> standIn;  ///< the material shown in the place of each; itself where none is

    bool operator==(const MergeChoice&) const = default;
};

/// For a mesh of so many materials: a choice that does not fit begins with all of them on one sheet.
MergeChoice fittedTo(MergeChoice choice, std::size_t materials);

/// Padding and bits are those of baking.
/// @param choice  fitted to the mesh that is merged
MergeSettings settingsFor(const MergeChoice& choice, const BakeChoice& bake);

/// As it stands in documents.
std::string mergeChoiceJson(const MergeChoice& choice);
/// @throws InputError
MergeChoice mergeChoiceFromJson(const std::string& text);

}  // namespace um
