#pragma once
/// A level that looks like its source: new UVs, and textures that carry the source's detail and all its materials.
#include "bake/SheetShare.h"
#include "bake/Transfer.h"
#include "bake/Unwrap.h"

#include <string_view>

namespace um {

/// What is written of a sheet.
struct BakeChannels {
    bool baseColor = true, normal = true, metallicRoughness = true, occlusion = true, emission = true, opacity = true;
    bool height = false, objectNormal = false, misses = false;  ///< files of their own, which the material does not use

    bool operator==(const BakeChannels&) const = default;
};

/// `base,normal,roughness,occlusion,emission,opacity,height,object-normal,misses`, in any order.
/// @throws InputError  naming those that there are
BakeChannels parseBakeChannels(std::string_view text);

struct BakeSettings {
    UnwrapSettings unwrap;
    bool keepUvs = false;  ///< the level's own, where no two triangles share a place
    SheetShare share = SheetShare::Area;
    std::vector<PartFactor> factors;  ///< of parts of the level
    CageSettings cage;
    TransferSettings transfer;
    BakeChannels channels;
    bool joinParts = false;  ///< one part, and so a single draw call, unless something is transparent
};

/// An image beside the level, which its material does not use.
struct ExtraImage {
    std::string name;   ///< "height", "object-normal", "misses"
    std::string bytes;  ///< PNG
};

struct Baked {
    Mesh level;
    std::vector<ExtraImage> extras;
    std::vector<std::string> notes;  ///< a sentence each
    Unwrapped unwrapped;             ///< the figures only; nothing of it where the level kept its UVs
    Sheet sheet;
    std::vector<PartShare> parts;
    double deepest = 0;     ///< how deep the cage was at most, in the level's unit
    double heightSpan = 0;  ///< of the height image: from so far below (0) to so far above (1), in the level's unit
};

/// Puts a sheet's images in the place of all materials. What is transparent, cut out or seen from both sides keeps a
/// material of its own, with the same images. Triangles are grouped anew.
void dress(Mesh& level, const Sheet& sheet, const BakeChannels& channels, bool joinParts, const Progress& progress);

/// @throws MeshError   if source or level are not sound, or have no area
/// @throws InputError  if the charts do not fit the sheet, or UVs that are to be kept are not fit for it
/// @throws Cancelled
Baked bake(const Mesh& source, const Mesh& level, const BakeSettings& settings, const Progress& progress);

}  // namespace um
