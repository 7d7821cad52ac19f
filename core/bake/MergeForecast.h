#pragma once
/// What merging a mesh's materials would come to, and what could be done instead, before any image is made.
#include "bake/AlikeMaterials.h"
#include "bake/Merge.h"

#include <optional>

namespace um {

struct MaterialCost {
    std::size_t materials = 0, textures = 0, drawCalls = 0;
    double textureBytes = 0;  ///< on the graphics card, with the smaller copies

    bool operator==(const MaterialCost&) const = default;
};

MaterialCost materialCostOf(const Mesh& mesh);

/// What the merged mesh will cost, before anything is computed.
MaterialCost predictMerge(const Mesh& mesh, const MergeSettings& settings);

/// What a material's triangles take of a sheet on which each place keeps its texels.
struct MaterialRoom {
    double texels = 0;        ///< of its largest texture, unrolled where it repeats; 0 for flat colours
    double timesOver = 0;     ///< so often that texture is laid out; more than once where it repeats or is shared
    bool repeats = false;     ///< beyond the edges of its texture
    double textureBytes = 0;  ///< on the graphics card now
};

/// One for each material.
std::vector<MaterialRoom> materialRooms(const Mesh& mesh);

/// A material whose texture repeats could keep it: it takes much of a sheet.
struct LeaveOutOffer {
    std::uint32_t material = 0;
    int sheet = 0;                        ///< that it lies on
    double share = 0;                     ///< of the texels on that
    std::optional<double> othersDensity;  ///< without it; nothing if there are no others with a texture
    MaterialCost cost;                    ///< of the whole, without it
};

struct MergeForecast {
    MaterialCost before, after;
    std::vector<int> sheetOf;         ///< of each material, numbered without gaps
    std::vector<MaterialRoom> rooms;  ///< of each material
    std::vector<MergedSheet> sheets;
    std::vector<LeaveOutOffer> leaveOut;
};

/// @throws as mergeMaterials
MergeForecast forecastMerge(const Mesh& mesh, const MergeSettings& settings, const Progress& progress);

/// Materials of which the first could stand for the others, with what that would cost the eye.
struct JoinOffer {
    std::vector<std::uint32_t> materials;
    Alikeness alikeness = Alikeness::Nearly;
    double lookOff = 0;  ///< CIELAB, the mean where the mesh is drawn 300 pixels tall
};

/// Those that are nearly the same first.
/// @throws Cancelled
std::vector<JoinOffer> findJoinOffers(const Mesh& mesh, const Progress& progress);

/// How far one mesh of the same size looks off another, as above.
double lookOff(const Mesh& before, const Mesh& after, const Progress& progress);

}  // namespace um
