#include "base/Error.h"
#include "base/File.h"
#include "base/Units.h"
#include "chain/BakeChoice.h"
#include "cli/Commands.h"
#include "cli/Console.h"
#include "mesh/Join.h"

#include <chrono>
#include <memory>

namespace um::cli {
namespace {

struct BakeOptions {
    std::string source, level, out, json, unit, channels, share = "area";
    std::string screen = "1440px,50deg";
    std::vector<std::string> factors, also;
    BakeChoice choice;
};

// `Glass=0.5`
PartFactor factorFrom(const std::string& text) {
    const std::size_t at = text.rfind('=');
    const auto number =
        at == std::string::npos ? std::nullopt : parseNumberWithSuffix(std::string_view(text).substr(at + 1));
    if (!number || !number->suffix.empty())
        throw InputError("\"" + text + "\" is no part's factor: type its name, = and a number, as in Glass=0.5.");
    return {text.substr(0, at), number->number};
}

std::filesystem::path besideOut(const std::filesystem::path& out, const ExtraImage& extra) {
    const std::string number = extra.sheet > 0 ? "_" + std::to_string(extra.sheet + 1) : "";
    return out.parent_path() / (out.stem().string() + "_" + extra.name + number + ".png");
}

int run(const BakeOptions& options) {
    const Answer answer(options.json);
    formatOfExtension(options.out);
    BakeChoice choice = options.choice;
    choice.share = parseSheetShare(options.share);
    for (const std::string& factor : options.factors) choice.factors.push_back(factorFrom(factor));
    MeshFile source = readWithNotes(options.source, options.unit);
    for (const std::string& also : options.also) joinTo(source.mesh, readWithNotes(also, options.unit).mesh);
    MeshFile level = readWithNotes(options.level, options.unit);
    // A level that does not say its unit is in its source's.
    if (level.mesh.unitStated) convertUnit(level.mesh, source.mesh.metresPerUnit);
    const double metres = source.mesh.metresPerUnit;
    BakeSettings settings = settingsFor(choice, source.mesh, parseScreen(options.screen));
    if (!options.channels.empty()) settings.dress.channels = parseBakeChannels(options.channels);
    const auto begin = std::chrono::steady_clock::now();
    const Baked baked = [&] {
        const TerminalProgress terminal("Baking");
        return bake(source.mesh, level.mesh, settings, terminal.progress());
    }();
    const double seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
    {
        const TerminalProgress terminal("Writing");
        for (const ExtraImage& extra : baked.extras)
            writeWhole(besideOut(options.out, extra), [&](FileWriter& writer) { writer.write(extra.bytes); });
        writeMesh(baked.level, options.out, terminal.progress());
    }
    const Unwrapped& unwrapped = baked.unwrapped;
    std::string line = "Baked " + options.source + " onto " + formatCount(baked.level.triangleCount()) +
                       " triangles, " + countOf(level.mesh.sections.size(), "draw call", "draw calls") + " to " +
                       formatCount(baked.level.sections.size());
    if (unwrapped.charts > 0)
        line += "; " + countOf(unwrapped.charts, "chart", "charts") + ", stretch " +
                formatNumber(unwrapped.stretch.mean) + ", fill " + formatNumber(100 * unwrapped.fill) + " %, " +
                formatNumber(unwrapped.texelsPerUnit / metres) + " texels a metre";
    answer.line(line + " -> " + options.out);
    for (const std::string& note : baked.notes) answer.line("  " + note);
    if (baked.missed > 0)
        answer.line("  " + sentenceOnMisses(baked.missed, baked.covered) + " (--channels ... misses tells where.)");
    Json json = {{"source", meshJson(options.source, source.mesh)},
                 {"level", meshJson(options.out, baked.level)},
                 {"sheet", choice.sheet},
                 {"sheets", baked.sheets},
                 {"bits", choice.bits},
                 {"texels_covered", baked.covered},
                 {"texels_missed", baked.missed},
                 {"deepest_cage", baked.deepest},
                 {"draw_calls", {{"before", level.mesh.sections.size()}, {"after", baked.level.sections.size()}}},
                 {"materials", {{"before", level.mesh.materials.size()}, {"after", baked.level.materials.size()}}},
                 {"notes", baked.notes},
                 {"seconds", seconds}};
    if (unwrapped.charts > 0)
        json["unwrap"] = {{"charts", unwrapped.charts},
                          {"stretch_mean", unwrapped.stretch.mean},
                          {"stretch_worst", unwrapped.stretch.worst},
                          {"fill", unwrapped.fill},
                          {"texels_per_metre", unwrapped.texelsPerUnit / metres}};
    json["parts"] = Json::array();
    for (const PartShare& part : baked.parts)
        json["parts"].push_back({{"part", part.part}, {"sheet", part.sheet}, {"seen", part.seen}});
    if (settings.dress.channels.height) json["height_span"] = baked.heightSpan;
    answer.json(json);
    return done;
}

}  // namespace

void addBake(CLI::App& app, int& code) {
    CLI::App* command =
        app.add_subcommand("bake", "Gives a level new UVs, and textures with its source's detail and materials");
    const auto options = std::make_shared<BakeOptions>();
    command->add_option("SOURCE", options->source, "mesh with the detail")->required();
    command->add_option("LEVEL", options->level, "mesh to bake to")->required();
    command->add_option("OUT", options->out, "file to write (.glb, .gltf, .obj)")->required();
    command->add_option("--sheet", options->choice.sheet, "texels on a side")->capture_default_str();
    command->add_option("--sheets", options->choice.sheets, "at most; each is a material of its own")
        ->capture_default_str();
    command->add_option("--bits", options->choice.bits, "of each value in the images: 8 or 16")->capture_default_str();
    command->add_option("--also", options->also, "another mesh with detail, in the same place; again for others");
    command->add_option("--density", options->choice.density,
                        "texels a length instead of as many as fit, as in 400px/m");
    command->add_option("--padding", options->choice.padding, "texels between charts")->capture_default_str();
    command->add_option("--samples", options->choice.samples, "samples a texel: 1, 4 or 16")->capture_default_str();
    command->add_option("--share", options->share, "share the sheet out by density, area, or what is seen")
        ->capture_default_str();
    command->add_option("--factor", options->factors,
                        "a part's texels along a side, as in Glass=0.5; again for others");
    command->add_option("--cage", options->choice.cage, "how deep rays go: 2x what was measured, or a length like 5mm");
    command->add_option("--channels", options->channels,
                        "any of base, normal, roughness, occlusion, emission, opacity, height, object-normal, misses");
    command->add_option("--occlusion-rays", options->choice.occlusionRays,
                        "trace occlusion with so many rays a sample");
    command->add_option("--occlusion-distance", options->choice.occlusionDistance,
                        "so far things keep light away, as in 5cm");
    command->add_flag("--along-seams", options->choice.alongSeams, "cut new UVs where the level's own part, too");
    command->add_flag("--keep-uvs", options->choice.keepUvs, "bake to the level's own UVs");
    command->add_flag("--parts-apart", options->choice.partsApart, "a part catches only the detail of its own name");
    command->add_flag("--join-parts", options->choice.joinParts, "make one part of all: a single draw call");
    command->add_option("--unit", options->unit, "unit of files that do not say theirs (mm, cm, m, in, ft)");
    command->add_option("--json", options->json, "write the figures as JSON; - for standard output");
    command->callback([options, &code] { code = run(*options); });
}

}  // namespace um::cli
