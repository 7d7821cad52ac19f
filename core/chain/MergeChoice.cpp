#include "chain/MergeChoice.h"

#include "base/Error.h"
#include "base/Json.h"

#include <nlohmann/json.hpp>
#include <numeric>

namespace um {

MergeChoice fittedTo(MergeChoice choice, std::size_t materials) {
    if (choice.sheetOf.size() == materials) return choice;
    choice.sheetOf.assign(materials, 0);
    choice.standIn.resize(materials);
    std::iota(choice.standIn.begin(), choice.standIn.end(), 0);
    return choice;
}

MergeSettings settingsFor(const MergeChoice& choice, const BakeChoice& bake) {
    MergeSettings settings;
    settings.sheet = choice.sheet > 0 ? choice.sheet : bake.sheet;
    settings.padding = bake.padding;
    settings.share = choice.share;
    settings.sheetOf = choice.sheetOf;
    settings.dress.joinParts = choice.joinParts;
    settings.dress.deep = bake.bits == 16;
    const std::vector<std::uint32_t>& standIn = choice.standIn;
    for (std::uint32_t m = 0; m < standIn.size(); ++m) {
        if (standIn[m] != m) continue;
        std::vector<std::uint32_t> group{m};
        for (std::uint32_t other = 0; other < standIn.size(); ++other)
            if (other != m && standIn[other] == m) group.push_back(other);
        if (group.size() > 1) settings.alike.push_back(std::move(group));
    }
    return settings;
}

std::string mergeChoiceJson(const MergeChoice& choice) {
    return Json{{"sheet", choice.sheet},
                {"share", nameOf(choice.share)},
                {"join_parts", choice.joinParts},
                {"sheet_of", choice.sheetOf},
                {"stand_in", choice.standIn}}
        .dump();
}

MergeChoice mergeChoiceFromJson(const std::string& text) {
    MergeChoice choice;
    try {
        const Json json = Json::parse(text);
        choice.sheet = json.at("sheet");
        choice.share = parseSheetShare(json.at("share").get<std::string>());
        choice.joinParts = json.at("join_parts");
        choice.sheetOf = json.at("sheet_of").get<std::vector<int>>();
        choice.standIn = json.at("stand_in").get<std::vector<std::uint32_t>>();
    } catch (const Json::exception&) {
        throw InputError("How its materials are merged cannot be read.");
    }
    const std::size_t count = choice.standIn.size();
    bool fits = choice.sheetOf.size() == count && choice.sheet >= 0;
    for (std::size_t m = 0; fits && m < count; ++m)
        fits = choice.sheetOf[m] >= leftOut && choice.standIn[m] < count &&
               choice.standIn[choice.standIn[m]] == choice.standIn[m];
    if (!fits) throw InputError("How its materials are merged does not fit together.");
    return choice;
}

}  // namespace um
