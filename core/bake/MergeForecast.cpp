#include "bake/MergeForecast.h"

#include "bake/LookDifference.h"
#include "mesh/Materials.h"

#include <algorithm>

namespace um {

MergeForecast forecastMerge(const Mesh& mesh, const MergeSettings& settings, const Progress& progress) {
    MergeForecast forecast;
    const Mesh joined = withStandIns(mesh, settings.alike);
    MergeSettings own = settings;
    own.alike.clear();
    own.sheetOf = sheetsOfMaterials(joined, settings);
    forecast.before = materialCostOf(mesh);
    forecast.after = predictMerge(joined, own);
    forecast.sheetOf = own.sheetOf;
    forecast.rooms = materialRooms(joined);
    const std::vector<std::uint8_t> isUsed = usedMaterials(joined);
    std::vector<double> texels;  // of each sheet
    for (std::size_t m = 0; m < isUsed.size(); ++m) {
        if (isUsed[m] == 0 || own.sheetOf[m] == leftOut) continue;
        texels.resize(std::max(texels.size(), std::size_t(own.sheetOf[m]) + 1), 0);
        texels[std::size_t(own.sheetOf[m])] += forecast.rooms[m].texels;
    }
    if (!texels.empty()) forecast.sheets = layOutMerge(joined, own, progress.span(0, 0.5));
    for (std::uint32_t m = 0; m < isUsed.size(); ++m) {
        const int sheet = own.sheetOf[m];
        if (isUsed[m] == 0 || sheet == leftOut || !forecast.rooms[m].repeats) continue;
        MergeSettings without = own;
        without.sheetOf[m] = leftOut;
        LeaveOutOffer& offer = forecast.leaveOut.emplace_back();
        offer.material = m;
        offer.sheet = sheet;
        offer.share = forecast.rooms[m].texels / texels[std::size_t(sheet)];
        offer.cost = predictMerge(joined, without);
        if (offer.share < 1)
            offer.othersDensity = layOutMerge(joined, without, progress.span(0.5, 1)).at(std::size_t(sheet)).density;
    }
    progress.at(1);
    return forecast;
}

std::vector<JoinOffer> findJoinOffers(const Mesh& mesh, const Progress& progress) {
    std::vector<JoinOffer> offers;
    const auto add = [&](Alikeness alikeness) {
        for (std::vector<std::uint32_t>& group : findAlikeMaterials(mesh, alikeness, progress.span(0, 0.3))) {
            const bool isKnown = std::any_of(offers.begin(), offers.end(),
                                             [&](const JoinOffer& offer) { return offer.materials == group; });
            if (!isKnown) offers.push_back({std::move(group), alikeness, 0});
        }
    };
    add(Alikeness::Nearly);
    add(Alikeness::OnTheWhole);
    for (std::size_t i = 0; i < offers.size(); ++i)
        offers[i].lookOff = lookOff(mesh, withStandIns(mesh, {offers[i].materials}),
                                    progress.span(0.3 + 0.7 * double(i) / double(offers.size()),
                                                  0.3 + 0.7 * double(i + 1) / double(offers.size())));
    progress.at(1);
    return offers;
}

double lookOff(const Mesh& before, const Mesh& after, const Progress& progress) {
    constexpr double pixelsTall = 300;
    std::vector<std::string> unreadable;
    return measureLook(SurfaceMaterial(before, unreadable), SurfaceMaterial(after, unreadable),
                       pixelsTall / std::max(1e-30, diagonal(before)), progress)
        .mean;
}

}  // namespace um
