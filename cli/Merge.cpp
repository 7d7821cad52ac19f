#include "bake/MergeForecast.h"
#include "base/Error.h"
#include "base/Units.h"
#include "cli/Commands.h"
#include "cli/Console.h"

#include <cmath>
#include <memory>

namespace um::cli {
namespace {

struct MergeOptions {
    std::string in, out, share = "density", channels, unit, json;
    int sheet = 2048, padding = 8, bits = 8;
    std::vector<std::string> standIns, onto, apart;
    bool joinParts = false, predict = false, alike = false;
};

std::string megabytes(double bytes) {
    return formatNumber(bytes / 1e6) + " MB";
}

std::string sentenceOf(const MaterialCost& before, const MaterialCost& after) {
    const auto change = [](const char* what, std::size_t from, std::size_t to) {
        return std::string(what) + " " + formatCount(from) + " to " + formatCount(to);
    };
    return change("materials", before.materials, after.materials) + ", " +
           change("textures", before.textures, after.textures) + ", " +
           change("draw calls", before.drawCalls, after.drawCalls) + ", texture memory " +
           megabytes(before.textureBytes) + " to " + megabytes(after.textureBytes);
}

Json costJson(const MaterialCost& cost) {
    return {{"materials", cost.materials},
            {"textures", cost.textures},
            {"draw_calls", cost.drawCalls},
            {"texture_bytes", cost.textureBytes}};
}

using Groups = std::vector<std::vector<std::uint32_t>>;

std::string sentenceOf(const Mesh& mesh, const Groups& groups) {
    std::string sentence;
    for (const auto& group : groups) {
        sentence += sentence.empty() ? "" : "; ";
        for (std::size_t i = 0; i < group.size(); ++i)
            sentence += (i == 0 ? "" : i + 1 < group.size() ? ", " : " and ") + mesh.materials[group[i]].name;
    }
    return sentence;
}

Json groupsJson(const Mesh& mesh, const Groups& groups) {
    Json json = Json::array();
    for (const auto& group : groups) {
        Json names = Json::array();
        for (const std::uint32_t m : group) names.push_back(mesh.materials[m].name);
        json.push_back(names);
    }
    return json;
}

std::uint32_t materialNamed(const Mesh& mesh, const std::string& name) {
    for (std::uint32_t m = 0; m < mesh.materials.size(); ++m)
        if (mesh.materials[m].name == name) return m;
    throw InputError("There is no material " + name + " in the mesh.");
}

// `worn paint=red paint`: the second in the place of the first.
Groups groupsFrom(const std::vector<std::string>& typed, const Mesh& mesh) {
    Groups groups;
    for (const std::string& text : typed) {
        const std::size_t at = text.find('=');
        if (at == std::string::npos)
            throw InputError("\"" + text + "\" says nothing of a stand-in: type MATERIAL=THE ONE IN ITS PLACE.");
        groups.push_back({materialNamed(mesh, text.substr(at + 1)), materialNamed(mesh, text.substr(0, at))});
    }
    return groups;
}

// `brick=2`: on the second sheet. All others go on the first, but for those that are to stay apart.
std::vector<int> sheetsFrom(const MergeOptions& options, const Mesh& mesh) {
    std::vector<int> sheetOf(mesh.materials.size(), 0);
    for (const std::string& text : options.onto) {
        const std::size_t at = text.rfind('=');
        const auto number =
            at == std::string::npos ? std::nullopt : parseNumberWithSuffix(std::string_view(text).substr(at + 1));
        if (!number || !number->suffix.empty() || number->number != std::floor(number->number) || number->number < 1 ||
            number->number > 64)
            throw InputError("\"" + text + "\" names no sheet: type MATERIAL=2, with a number from 1 to 64.");
        sheetOf[materialNamed(mesh, text.substr(0, at))] = int(number->number) - 1;
    }
    for (const std::string& name : options.apart) sheetOf[materialNamed(mesh, name)] = leftOut;
    return sheetOf;
}

std::string percent(double share) {
    return formatNumber(std::round(100 * share)) + " %";
}

// What each material takes of the sheets, and what leaving out those that repeat would come to.
Json tellForecast(const Mesh& mesh, const MergeForecast& forecast, const Answer& answer) {
    for (std::size_t i = 0; i < forecast.sheets.size(); ++i) {
        answer.line("  Sheet " + std::to_string(i + 1) + ": textures at " +
                    percent(std::min(1.0, forecast.sheets[i].density)) + " of their texels along a side, fill " +
                    percent(forecast.sheets[i].fill));
        for (const LeaveOutOffer& offer : forecast.leaveOut) {
            if (offer.sheet != int(i)) continue;
            const std::string& name = mesh.materials[offer.material].name;
            answer.line(
                "    " + name + " repeats, " + formatNumber(forecast.rooms[offer.material].timesOver) +
                " times over, and takes " + percent(offer.share) + " of it. Left out (--apart \"" + name + "\")" +
                (offer.othersDensity ? ", the others keep " + percent(std::min(1.0, *offer.othersDensity)) : "") +
                ": " + sentenceOf(forecast.before, offer.cost));
        }
    }
    Json json = Json::array();
    for (std::uint32_t m = 0; m < forecast.rooms.size(); ++m)
        if (const int sheet = forecast.sheetOf[m]; sheet != leftOut)
            json.push_back({{"material", mesh.materials[m].name},
                            {"sheet", sheet + 1},
                            {"density", forecast.sheets[std::size_t(sheet)].density},
                            {"texels", forecast.rooms[m].texels},
                            {"times_over", forecast.rooms[m].timesOver},
                            {"repeats", forecast.rooms[m].repeats}});
    return json;
}

// Nearly equal materials alone become one each; nothing is laid out anew.
int joinAlike(const MergeOptions& options, const Mesh& mesh, const Groups& groups, const Answer& answer) {
    Mesh joined = mesh;
    joinAlikeMaterials(joined, groups);
    const MaterialCost before = materialCostOf(mesh), after = materialCostOf(joined);
    const double off = [&] {
        const TerminalProgress terminal("Comparing looks");
        return lookOff(mesh, joined, terminal.progress());
    }();
    {
        const TerminalProgress terminal("Writing");
        writeMesh(joined, options.out, terminal.progress());
    }
    answer.line("Joined materials of " + options.in + ": " + sentenceOf(before, after) + "; looks off by " +
                formatNumber(off) + " (CIELAB) -> " + options.out);
    answer.line(groups.empty() ? std::string("  No two are nearly the same.") : "  " + sentenceOf(mesh, groups));
    answer.json({{"before", costJson(before)},
                 {"after", costJson(after)},
                 {"look_off", off},
                 {"joined", groupsJson(mesh, groups)}});
    return done;
}

// What could be joined without a sheet, with what it would cost the eye.
Json offerAlike(const Mesh& mesh, const MaterialCost& before, const Answer& answer) {
    Json json = Json::array();
    for (const JoinOffer& offer : findJoinOffers(mesh, Progress())) {
        const bool isNearly = offer.alikeness == Alikeness::Nearly;
        std::string how = "--alike joins such alone";
        for (std::size_t i = 1; i < offer.materials.size() && !isNearly; ++i)
            how = (i > 1 ? how + " " : std::string()) + "--stand-in \"" + mesh.materials[offer.materials[i]].name +
                  "=" + mesh.materials[offer.materials.front()].name + "\"";
        answer.line("  " + std::string(isNearly ? "Nearly the same" : "On the whole alike") + " are " +
                    sentenceOf(mesh, {offer.materials}) + " (" + how + ", looks off by " + formatNumber(offer.lookOff) +
                    " in CIELAB): " + sentenceOf(before, materialCostOf(withStandIns(mesh, {offer.materials}))));
        json.push_back({{"alike", isNearly ? "nearly" : "on the whole"},
                        {"materials", groupsJson(mesh, {offer.materials}).front()},
                        {"look_off", offer.lookOff}});
    }
    return json;
}

int run(const MergeOptions& options) {
    const Answer answer(options.json);
    MergeSettings settings;
    if (options.sheet < 16 || options.sheet > 16384) throw InputError("A sheet has from 16 to 16384 texels on a side.");
    if (options.padding < 0 || options.padding > options.sheet / 8)
        throw InputError("The padding goes from 0 to an eighth of the sheet.");
    settings.sheet = options.sheet;
    settings.padding = options.padding;
    settings.share = parseSheetShare(options.share);
    if (options.bits != 8 && options.bits != 16) throw InputError("Images have 8 or 16 bits a value.");
    settings.dress.joinParts = options.joinParts;
    settings.dress.deep = options.bits == 16;
    if (!options.channels.empty()) settings.dress.channels = parseBakeChannels(options.channels);
    if (options.out.empty() && !options.predict) throw InputError("Name a file to write, or ask for --predict.");
    if (!options.predict) formatOfExtension(options.out);
    const MeshFile file = readWithNotes(options.in, options.unit);
    const MaterialCost before = materialCostOf(file.mesh);
    if (!options.predict && (options.alike || !options.standIns.empty())) {
        Groups groups = options.alike ? findAlikeMaterials(file.mesh, Alikeness::Nearly, Progress()) : Groups();
        for (auto& group : groupsFrom(options.standIns, file.mesh)) groups.push_back(std::move(group));
        return joinAlike(options, file.mesh, groups, answer);
    }
    settings.sheetOf = sheetsFrom(options, file.mesh);
    if (options.predict) {
        const MergeForecast forecast = [&] {
            const TerminalProgress terminal("Laying out");
            return forecastMerge(file.mesh, settings, terminal.progress());
        }();
        answer.line("Merging " + options.in + " would take " + sentenceOf(before, forecast.after));
        const Json onSheets = tellForecast(file.mesh, forecast, answer);
        answer.json({{"before", costJson(before)},
                     {"predicted", costJson(forecast.after)},
                     {"on_sheets", onSheets},
                     {"alike", offerAlike(file.mesh, before, answer)}});
        return done;
    }
    const Merged merged = [&] {
        const TerminalProgress terminal("Merging");
        return mergeMaterials(file.mesh, settings, terminal.progress());
    }();
    {
        const TerminalProgress terminal("Writing");
        writeMesh(merged.mesh, options.out, terminal.progress());
    }
    const MaterialCost after = materialCostOf(merged.mesh);
    std::string fills;
    Json sheets = Json::array();
    for (const MergedSheet& sheet : merged.sheets) {
        fills += (fills.empty() ? "" : ", ") + formatNumber(100 * sheet.fill);
        sheets.push_back({{"fill", sheet.fill}, {"density", sheet.density}});
    }
    answer.line("Merged " + options.in + ": " + sentenceOf(before, after) + "; " +
                countOf(merged.islands, "piece", "pieces") + ", fill " + fills + " % -> " + options.out);
    for (const std::string& note : merged.notes) answer.line("  " + note);
    answer.json({{"source", meshJson(options.in, file.mesh)},
                 {"merged", meshJson(options.out, merged.mesh)},
                 {"before", costJson(before)},
                 {"after", costJson(after)},
                 {"pieces", merged.islands},
                 {"sheets", sheets},
                 {"notes", merged.notes}});
    return done;
}

}  // namespace

void addMerge(CLI::App& app, int& code) {
    CLI::App* command =
        app.add_subcommand("merge", "Puts all materials of a mesh into one sheet, its geometry untouched");
    const auto options = std::make_shared<MergeOptions>();
    command->add_option("IN", options->in, "mesh with materials")->required();
    command->add_option("OUT", options->out, "file to write (.glb, .gltf, .obj)");
    command->add_option("--sheet", options->sheet, "texels on a side")->capture_default_str();
    command->add_option("--padding", options->padding, "texels between pieces")->capture_default_str();
    command->add_option("--share", options->share, "of the sheet: density, area or seen")->capture_default_str();
    command->add_option("--channels", options->channels,
                        "any of base, normal, roughness, occlusion, emission, opacity");
    command->add_option("--bits", options->bits, "of each value in the images: 8 or 16")->capture_default_str();
    command->add_option("--onto", options->onto, "put a material on another sheet, as in \"brick=2\"; again for others")
        ->delimiter('\0');
    command
        ->add_option("--apart", options->apart,
                     "leave a material its own textures, as where they repeat; again for others")
        ->delimiter('\0');
    command->add_flag("--join-parts", options->joinParts, "make one part of all: a single draw call");
    command->add_flag("--alike", options->alike, "only join materials that are nearly the same, without a sheet");
    command
        ->add_option("--stand-in", options->standIns,
                     "only put one material in another's place, as in \"worn=painted\"")
        ->delimiter('\0');
    command->add_flag("--predict", options->predict, "only say what it would come to");
    command->add_option("--unit", options->unit, "unit of files that do not say theirs (mm, cm, m, in, ft)");
    command->add_option("--json", options->json, "write the figures as JSON; - for standard output");
    command->callback([options, &code] { code = run(*options); });
}

}  // namespace um::cli
