#pragma once
/// A level that looks like its source: new UVs, and textures that carry the source's detail and all its materials.
#include "bake/Dress.h"
#include "bake/SheetShare.h"
#include "bake/Unwrap.h"

namespace um {

struct BakeSettings {
    UnwrapSettings unwrap;
    bool keepUvs = false;  ///< the level's own, where no two triangles share a place
    SheetShare share = SheetShare::Area;
    std::vector<PartFactor> factors;  ///< of parts of the level
    CageSettings cage;
    TransferSettings transfer;
    DressSettings dress;
};

struct Baked {
    Mesh level;
    std::vector<ExtraImage> extras;
    std::vector<std::string> notes;  ///< a sentence each
    Unwrapped unwrapped;             ///< the figures only; nothing of it where the level kept its UVs
    int sheetSize = 0, sheets = 1;
    std::size_t covered = 0, missed = 0;  ///< texels, of all sheets
    std::vector<PartShare> parts;
    double deepest = 0;     ///< how deep the cage was at most, in the level's unit
    double heightSpan = 0;  ///< of the height image: from so far below (0) to so far above (1), in the level's unit
};

std::string sentenceOnMisses(std::size_t missed, std::size_t covered);

/// @throws MeshError   if source or level are not sound, or have no area
/// @throws InputError  if the charts do not fit the sheets, or UVs that are to be kept are not fit for it
/// @throws Cancelled
Baked bake(const Mesh& source, const Mesh& level, const BakeSettings& settings, const Progress& progress);

}  // namespace um
