#include "bake/MergeForecast.h"

#include "bake/LookDifference.h"
#include "mesh/Materials.h"
#include "mesh/UvCharts.h"

#include <algorithm>
#include <cmath>
#include <set>
#include <tuple>

namespace um {

MaterialCost materialCostOf(const Mesh& mesh) {
    MaterialCost cost;
    std::set<std::uint32_t> materials;
    std::set<int> textures;
    for (const Section& section : mesh.sections) {
        if (section.triangleCount == 0) continue;
        ++cost.drawCalls;
        materials.insert(section.material);
        forTextureUses(mesh.materials[section.material], [&](const TextureUse& use) {
            if (use) textures.insert(use.texture);
        });
    }
    cost.materials = materials.size();
    cost.textures = textures.size();
    for (const int t : textures) cost.textureBytes += textureMemory(mesh.textures[std::size_t(t)]);
    return cost;
}

MaterialCost predictMerge(const Mesh& before, const MergeSettings& settings) {
    const Mesh mesh = withStandIns(before, settings.alike);
    const BakeChannels& channels = settings.dress.channels;
    const std::vector<int> sheetOf = sheetsOfMaterials(mesh, settings);
    struct OnSheet {
        bool shines = false, hasOpacity = false;
    };
    std::vector<OnSheet> sheets(std::size_t(countOf(sheetOf)));
    using Key = std::tuple<int, DrawnAs, std::uint32_t>;  // the last tells those apart that keep their textures
    std::set<Key> kinds;
    std::set<std::pair<std::uint32_t, Key>> draws;
    std::set<int> kept;
    for (const Section& section : mesh.sections) {
        if (section.triangleCount == 0) continue;
        const Material& m = mesh.materials[section.material];
        const int sheet = sheetOf[section.material];
        const Key key =
            sheet == leftOut ? Key(sheet, DrawnAs(), section.material) : Key(sheet, DrawnAs(m, channels.opacity), 0);
        kinds.insert(key);
        draws.emplace(settings.dress.joinParts ? 0 : section.part, key);
        if (sheet == leftOut) {
            forTextureUses(m, [&](const TextureUse& use) {
                if (use) kept.insert(use.texture);
            });
            continue;
        }
        OnSheet& there = sheets[std::size_t(sheet)];
        there.shines = there.shines || m.emissionTexture || m.emission != std::array<float, 3>{0, 0, 0};
        there.hasOpacity = there.hasOpacity || (channels.opacity && m.alpha != Material::Alpha::Opaque);
    }
    MaterialCost cost;
    cost.materials = kinds.size();
    cost.drawCalls = draws.size();
    for (const OnSheet& sheet : sheets)
        cost.textures += std::size_t(channels.baseColor || sheet.hasOpacity) + std::size_t(channels.normal) +
                         std::size_t(channels.metallicRoughness || channels.occlusion) +
                         std::size_t(channels.emission && sheet.shines);
    cost.textureBytes =
        double(cost.textures) * textureMemory(settings.sheet, settings.sheet, settings.dress.deep ? 16 : 8);
    cost.textures += kept.size();
    for (const int t : kept) cost.textureBytes += textureMemory(mesh.textures[std::size_t(t)]);
    return cost;
}

std::vector<MaterialRoom> materialRooms(const Mesh& mesh) {
    std::vector<MaterialRoom> rooms(mesh.materials.size());
    for (std::uint32_t m = 0; m < rooms.size(); ++m) {
        std::set<int> textures;
        forTextureUses(mesh.materials[m], [&](const TextureUse& use) {
            if (use) textures.insert(use.texture);
        });
        for (const int t : textures) rooms[m].textureBytes += textureMemory(mesh.textures[std::size_t(t)]);
    }
    if (mesh.uvs.empty()) return rooms;
    std::vector<Eigen::AlignedBox2d> boxes(rooms.size());
    for (const Section& section : mesh.sections) {
        MaterialRoom& room = rooms[section.material];
        for (TriangleId t = section.firstTriangle; t < section.firstTriangle + section.triangleCount; ++t) {
            const double area = std::abs(uvArea(mesh, t)) / 2;
            if (!std::isfinite(area)) continue;
            room.timesOver += area;
            for (const WedgeId w : mesh.wedgesOf(t)) boxes[section.material].extend(mesh.uvs[w].cast<double>());
        }
    }
    for (std::size_t m = 0; m < rooms.size(); ++m) {
        const Vec2d size = largestTexture(mesh, mesh.materials[m]);
        rooms[m].texels = rooms[m].timesOver * size.x() * size.y();
        constexpr double more = 1.01;
        rooms[m].repeats = rooms[m].texels > 0 && !boxes[m].isEmpty() && boxes[m].sizes().maxCoeff() > more;
    }
    return rooms;
}

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
