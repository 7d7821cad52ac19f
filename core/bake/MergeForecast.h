#pragma once
/// What merging a mesh's materials would come to, and what could be done instead, before any image is made.
#include "bake/AlikeMaterials.h"
#include "bake/Merge.h"

#include <optional>

namespace um {

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
