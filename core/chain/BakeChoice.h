#pragma once
/// How a level is baked, as it is chosen by hand.
#include "bake/Bake.h"
#include "chain/Target.h"

namespace um {

struct BakeChoice {
    int sheet = 2048;  ///< texels on a side
    int sheets = 1;    ///< at most
    int bits = 8;      ///< of each value in the images: 8 or 16
    int padding = 8;   ///< texels between charts
    int samples = 4;   ///< of each texel: 1, 4 or 16
    SheetShare share = SheetShare::Area;
    std::vector<PartFactor> factors;
    bool keepUvs = false, partsApart = false, joinParts = false;
    bool alongSeams = false;  ///< new UVs part where the level's own do
    int occlusionRays = 0;
    std::string occlusionDistance;  ///< as typed; empty for a tenth of the source's diagonal
    std::string density;            ///< `400px/m`; empty for as many texels as fit
    std::string cage;               ///< `2x` what was measured, or a length; empty for what was measured
    std::vector<CagePush> pushes;   ///< of the cage, in the source's unit
    std::vector<std::string> also;  ///< files of other meshes to bake from, beside the source

    bool operator==(const BakeChoice&) const = default;
};

/// Without what belongs to one source: pushes of the cage, and files beside it.
BakeChoice withoutPlaces(BakeChoice choice);

/// @param source  in whose unit lengths are
/// @throws InputError  saying what is wrong with the choice
BakeSettings settingsFor(const BakeChoice& choice, const Mesh& source, const Screen& screen);

/// As it stands in documents.
std::string bakeChoiceJson(const BakeChoice& choice);
/// @throws InputError
BakeChoice bakeChoiceFromJson(const std::string& text);

/// How far a baked level looks off its source where it was seen when it was baked; of none where nothing is covered.
struct BakedLook {
    double mean = 0, worst = 0, p95 = 0;  ///< CIELAB; the worst is the mean from one direction
    double pixelsTall = 0;

    bool operator==(const BakedLook&) const = default;
};

/// What came of a bake, kept with the level.
struct BakeFigures {
    int sheet = 0, sheets = 1;
    std::size_t charts = 0;               ///< 0 where the level kept its UVs
    double stretch = 1;                   ///< L2, over all charts
    double fill = 0;                      ///< share of the sheets
    double texelsPerMetre = 0;            ///< along a side
    std::size_t covered = 0, missed = 0;  ///< texels
    std::vector<PartShare> parts;
    BakedLook look;
    /// PNG of each sheet: white where the level is, red where nothing was found.
    std::vector<std::shared_ptr<const std::string>> misses;
    std::shared_ptr<const Mesh> bare;  ///< the level as it was before, for baking again; not kept in files

    bool operator==(const BakeFigures&) const = default;
};

BakeFigures figuresOf(const Baked& baked, double metresPerUnit);
/// But for the picture of the misses.
std::string bakeFiguresJson(const BakeFigures& figures);
/// @throws InputError
BakeFigures bakeFiguresFromJson(const std::string& text);

}  // namespace um
