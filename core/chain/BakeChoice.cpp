#include "chain/BakeChoice.h"

#include "base/Error.h"
#include "base/Json.h"
#include "base/Units.h"

#include <nlohmann/json.hpp>

namespace um {
namespace {

CageSettings cageFrom(const std::string& text, const Mesh& source, const Screen& screen) {
    CageSettings cage;
    if (text.empty()) return cage;
    if (const auto typed = parseNumberWithSuffix(text); typed && (typed->suffix == "x" || typed->suffix == "X")) {
        if (!(typed->number >= 0.1 && typed->number <= 100))
            throw InputError("The cage goes from 0.1x to 100x what was measured.");
        cage.factor = typed->number;
        return cage;
    }
    cage.depth = parseSize(text, diagonal(source), screen, source.metresPerUnit);
    if (!(cage.depth > 0)) throw InputError("The cage has a depth above nothing: type 2x, or a length like 5mm.");
    return cage;
}

template <class Read>
auto readJson(const std::string& text, const Read& read) {
    try {
        return read(Json::parse(text));
    } catch (const Json::exception& error) {
        throw InputError(std::string("What is kept of a bake is damaged: ") + error.what());
    }
}

}  // namespace

BakeChoice withoutPlaces(BakeChoice choice) {
    choice.pushes.clear();
    choice.also.clear();
    return choice;
}

BakeSettings settingsFor(const BakeChoice& choice, const Mesh& source, const Screen& screen) {
    if (choice.sheet < 16 || choice.sheet > 16384) throw InputError("A sheet has from 16 to 16384 texels on a side.");
    if (choice.padding < 0 || choice.padding > choice.sheet / 8)
        throw InputError("The padding goes from 0 to an eighth of the sheet.");
    if (choice.sheets < 1 || choice.sheets > 16) throw InputError("There are from 1 to 16 sheets.");
    if (choice.bits != 8 && choice.bits != 16) throw InputError("Images have 8 or 16 bits a value.");
    if (choice.samples != 1 && choice.samples != 4 && choice.samples != 16)
        throw InputError("There are 1, 4 or 16 samples a texel.");
    if (choice.occlusionRays < 0 || choice.occlusionRays > 1024)
        throw InputError("There are at most 1024 rays for the occlusion of a sample.");
    for (const CagePush& push : choice.pushes)
        if (!push.centre.allFinite() || !(push.radius > 0) || !(push.factor >= 0.01f && push.factor <= 100))
            throw InputError("A push of the cage has a place, a size above nothing and a factor from 0.01 to 100.");
    BakeSettings settings;
    settings.unwrap.pack.padding = choice.padding;
    if (!choice.density.empty())
        settings.unwrap.pack.texelsPerUnit = parseTexelDensity(choice.density) * source.metresPerUnit;
    settings.keepUvs = choice.keepUvs;
    settings.unwrap.charts.alongSeams = choice.alongSeams;
    settings.share = choice.share;
    settings.factors = choice.factors;
    settings.cage = cageFrom(choice.cage, source, screen);
    settings.cage.pushes = choice.pushes;
    settings.unwrap.pack.sheets = choice.sheets;
    settings.dress.joinParts = choice.joinParts;
    settings.dress.deep = choice.bits == 16;
    settings.transfer.size = choice.sheet;
    settings.transfer.samples = choice.samples == 16 ? 4 : choice.samples == 4 ? 2 : 1;
    settings.transfer.partsApart = choice.partsApart;
    settings.transfer.occlusionRays = choice.occlusionRays;
    if (!choice.occlusionDistance.empty())
        settings.transfer.occlusionDistance =
            parseSize(choice.occlusionDistance, diagonal(source), screen, source.metresPerUnit);
    return settings;
}

std::string bakeChoiceJson(const BakeChoice& choice) {
    Json factors = Json::object();
    for (const PartFactor& factor : choice.factors) factors[factor.part] = factor.factor;
    Json pushes = Json::array();
    for (const CagePush& push : choice.pushes)
        pushes.push_back({push.centre.x(), push.centre.y(), push.centre.z(), push.radius, push.factor});
    return Json{{"sheet", choice.sheet},
                {"sheets", choice.sheets},
                {"bits", choice.bits},
                {"padding", choice.padding},
                {"samples", choice.samples},
                {"share", nameOf(choice.share)},
                {"factors", factors},
                {"keep_uvs", choice.keepUvs},
                {"along_seams", choice.alongSeams},
                {"parts_apart", choice.partsApart},
                {"join_parts", choice.joinParts},
                {"occlusion_rays", choice.occlusionRays},
                {"occlusion_distance", choice.occlusionDistance},
                {"density", choice.density},
                {"cage", choice.cage},
                {"pushes", pushes},
                {"also", choice.also}}
        .dump();
}

BakeChoice bakeChoiceFromJson(const std::string& text) {
    return readJson(text, [](const Json& json) {
        BakeChoice choice;
        choice.sheet = json.value("sheet", choice.sheet);
        choice.sheets = json.value("sheets", choice.sheets);
        choice.bits = json.value("bits", choice.bits);
        choice.padding = json.value("padding", choice.padding);
        choice.samples = json.value("samples", choice.samples);
        if (json.contains("share")) choice.share = parseSheetShare(json.at("share").get<std::string>());
        const Json factors = json.value("factors", Json::object());
        for (const auto& [part, factor] : factors.items()) choice.factors.push_back({part, factor});
        choice.keepUvs = json.value("keep_uvs", false);
        choice.alongSeams = json.value("along_seams", false);
        choice.partsApart = json.value("parts_apart", false);
        choice.joinParts = json.value("join_parts", false);
        choice.occlusionRays = json.value("occlusion_rays", 0);
        choice.occlusionDistance = json.value("occlusion_distance", choice.occlusionDistance);
        choice.density = json.value("density", choice.density);
        choice.cage = json.value("cage", choice.cage);
        const Json pushes = json.value("pushes", Json::array());
        for (const Json& push : pushes)
            choice.pushes.push_back({Vec3f(push.at(0), push.at(1), push.at(2)), push.at(3), push.at(4)});
        choice.also = json.value("also", choice.also);
        return choice;
    });
}

BakeFigures figuresOf(const Baked& baked, double metresPerUnit) {
    BakeFigures figures;
    figures.sheet = baked.sheetSize;
    figures.sheets = baked.sheets;
    figures.charts = baked.unwrapped.charts;
    figures.stretch = baked.unwrapped.stretch.mean;
    figures.fill = baked.unwrapped.fill;
    figures.texelsPerMetre = baked.unwrapped.texelsPerUnit / metresPerUnit;
    figures.covered = baked.covered;
    figures.missed = baked.missed;
    figures.parts = baked.parts;
    for (const ExtraImage& extra : baked.extras)
        if (extra.name == "misses") figures.misses.push_back(std::make_shared<const std::string>(extra.bytes));
    return figures;
}

std::string bakeFiguresJson(const BakeFigures& figures) {
    Json parts = Json::array();
    for (const PartShare& part : figures.parts) parts.push_back({part.part, part.sheet, part.seen});
    return Json{{"sheet", figures.sheet},
                {"sheets", figures.sheets},
                {"charts", figures.charts},
                {"stretch", figures.stretch},
                {"fill", figures.fill},
                {"texels_per_metre", figures.texelsPerMetre},
                {"covered", figures.covered},
                {"missed", figures.missed},
                {"look", {figures.look.mean, figures.look.worst, figures.look.p95, figures.look.pixelsTall}},
                {"parts", parts}}
        .dump();
}

BakeFigures bakeFiguresFromJson(const std::string& text) {
    return readJson(text, [](const Json& json) {
        BakeFigures figures;
        figures.sheet = json.at("sheet");
        figures.sheets = json.value("sheets", 1);
        figures.charts = json.at("charts");
        figures.stretch = json.at("stretch");
        figures.fill = json.at("fill");
        figures.texelsPerMetre = json.at("texels_per_metre");
        figures.covered = json.at("covered");
        figures.missed = json.at("missed");
        const Json& look = json.at("look");
        figures.look = {look.at(0), look.at(1), look.at(2), look.at(3)};
        for (const Json& part : json.at("parts")) figures.parts.push_back({part.at(0), part.at(1), part.at(2)});
        return figures;
    });
}

}  // namespace um
