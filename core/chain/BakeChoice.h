#pragma once
/// The bake settings of a document, as the user chose them.
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
    bool alongSeams = false;  ///< new UVs keep the seams of the level's own
    int occlusionRays = 0;
    std::string occlusionDistance;  ///< as typed; empty for a tenth of the source's diagonal
    std::string density;            ///< `400px/m`; empty for as many texels as fit
    std::string cage;              ///< `2x` for a factor of the measured cage, or a length; empty for the measured cage
    std::vector<CagePush> pushes;  ///< of the cage, in the source's unit
    std::vector<std::string> also;  ///< files of other meshes to bake from, beside the source

    bool operator==(const BakeChoice&) const = default;
};

/// The settings without those that fit one source only: cage pushes and further files.
BakeChoice withoutPlaces(BakeChoice choice);

/// @param source  gives the unit of lengths
/// @throws InputError  saying what is wrong with the choice
BakeSettings settingsFor(const BakeChoice& choice, const Mesh& source, const Screen& screen);

/// The JSON that documents keep.
std::string bakeChoiceJson(const BakeChoice& choice);
/// @throws InputError
BakeChoice bakeChoiceFromJson(const std::string& text);

/// The look difference of a baked level from its source, at the distance given when it was baked; 0 where nothing is
/// covered.
struct BakedLook {
    double mean = 0, worst = 0, p95 = 0;  ///< CIELAB; the worst is the mean from one direction
    double pixelsTall = 0;

    bool operator==(const BakedLook&) const = default;
};

/// The figures of a bake, kept with the level.
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
/// Without the pictures of the misses.
std::string bakeFiguresJson(const BakeFigures& figures);
/// @throws InputError
BakeFigures bakeFiguresFromJson(const std::string& text);

}  // namespace um
