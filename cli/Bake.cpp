#include "bake/Bake.h"
#include "base/Error.h"
#include "base/File.h"
#include "base/Units.h"
#include "chain/Target.h"
#include "cli/Commands.h"
#include "cli/Console.h"

#include <chrono>
#include <memory>

namespace um::cli {
namespace {

struct Options {
    std::string source, level, out, json, unit, channels, density, occlusionDistance;
    std::string screen = "1440px,50deg";
    int sheet = 2048, padding = 8, samples = 4, occlusionRays = 0;
    bool keepUvs = false, partsApart = false, joinParts = false;
};

BakeSettings settingsFor(const Options& options) {
    BakeSettings settings;
    if (options.sheet < 16 || options.sheet > 16384) throw InputError("A sheet has from 16 to 16384 texels on a side.");
    if (options.padding < 0 || options.padding > options.sheet / 8)
        throw InputError("The padding goes from 0 to an eighth of the sheet.");
    if (options.samples != 1 && options.samples != 4 && options.samples != 16)
        throw InputError("There are 1, 4 or 16 samples a texel.");
    if (options.occlusionRays < 0 || options.occlusionRays > 1024)
        throw InputError("There are at most 1024 rays for the occlusion of a sample.");
    settings.unwrap.pack.padding = options.padding;
    settings.keepUvs = options.keepUvs;
    settings.joinParts = options.joinParts;
    settings.transfer.size = options.sheet;
    settings.transfer.samples = options.samples == 16 ? 4 : options.samples == 4 ? 2 : 1;
    settings.transfer.partsApart = options.partsApart;
    settings.transfer.occlusionRays = options.occlusionRays;
    if (!options.channels.empty()) settings.channels = parseBakeChannels(options.channels);
    return settings;
}

std::filesystem::path besideOut(const std::filesystem::path& out, const std::string& name) {
    return out.parent_path() / (out.stem().string() + "_" + name + ".png");
}

int run(const Options& options) {
    const Answer answer(options.json);
    BakeSettings settings = settingsFor(options);
    formatOfExtension(options.out);
    const MeshFile source = readWithNotes(options.source, options.unit);
    MeshFile level = readWithNotes(options.level, options.unit);
    // A level that does not say its unit is in its source's.
    if (level.mesh.unitStated) convertUnit(level.mesh, source.mesh.metresPerUnit);
    const double metres = source.mesh.metresPerUnit;
    if (!options.density.empty()) settings.unwrap.pack.texelsPerUnit = parseTexelDensity(options.density) * metres;
    if (!options.occlusionDistance.empty())
        settings.transfer.occlusionDistance =
            parseSize(options.occlusionDistance, diagonal(source.mesh), parseScreen(options.screen), metres);
    const auto begin = std::chrono::steady_clock::now();
    const Baked baked = [&] {
        const TerminalProgress terminal("Baking");
        return bake(source.mesh, level.mesh, settings, terminal.progress());
    }();
    const double seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
    {
        const TerminalProgress terminal("Writing");
        for (const ExtraImage& extra : baked.extras)
            writeWhole(besideOut(options.out, extra.name), [&](FileWriter& writer) { writer.write(extra.bytes); });
        writeMesh(baked.level, options.out, terminal.progress());
    }
    const Unwrapped& unwrapped = baked.unwrapped;
    std::string line = "Baked " + options.source + " onto " + formatCount(baked.level.triangleCount()) +
                       " triangles, " + std::to_string(level.mesh.sections.size()) + " draw calls to " +
                       std::to_string(baked.level.sections.size());
    if (unwrapped.charts > 0)
        line += "; " + formatCount(unwrapped.charts) + " charts, stretch " + formatNumber(unwrapped.stretch.mean) +
                ", fill " + formatNumber(100 * unwrapped.fill) + " %, " +
                formatNumber(unwrapped.texelsPerUnit / metres) + " texels a metre";
    answer.line(line + " -> " + options.out);
    for (const std::string& note : baked.notes) answer.line("  " + note);
    Json json = {{"source", meshJson(options.source, source.mesh)},
                 {"level", meshJson(options.out, baked.level)},
                 {"sheet", options.sheet},
                 {"texels_covered", baked.sheet.covered},
                 {"texels_missed", baked.sheet.missed},
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
    if (settings.channels.height) json["height_span"] = baked.heightSpan;
    answer.json(json);
    return done;
}

}  // namespace

void addBake(CLI::App& app, int& code) {
    CLI::App* command =
        app.add_subcommand("bake", "Gives a level new UVs, and textures with its source's detail and materials");
    const auto options = std::make_shared<Options>();
    command->add_option("SOURCE", options->source, "mesh with the detail")->required();
    command->add_option("LEVEL", options->level, "mesh to bake to")->required();
    command->add_option("OUT", options->out, "file to write (.glb, .gltf, .obj)")->required();
    command->add_option("--sheet", options->sheet, "texels on a side")->capture_default_str();
    command->add_option("--density", options->density, "texels a length instead of as many as fit, as in 400px/m");
    command->add_option("--padding", options->padding, "texels between charts")->capture_default_str();
    command->add_option("--samples", options->samples, "samples a texel: 1, 4 or 16")->capture_default_str();
    command->add_option("--channels", options->channels,
                        "any of base, normal, roughness, occlusion, emission, opacity, height, object-normal, misses");
    command->add_option("--occlusion-rays", options->occlusionRays, "trace occlusion with so many rays a sample");
    command->add_option("--occlusion-distance", options->occlusionDistance, "so far things keep light away, as in 5cm");
    command->add_flag("--keep-uvs", options->keepUvs, "bake to the level's own UVs");
    command->add_flag("--parts-apart", options->partsApart, "a part catches only the detail of its own name");
    command->add_flag("--join-parts", options->joinParts, "make one part of all: a single draw call");
    command->add_option("--unit", options->unit, "unit of files that do not say theirs (mm, cm, m, in, ft)");
    command->add_option("--json", options->json, "write the figures as JSON; - for standard output");
    command->callback([options, &code] { code = run(*options); });
}

}  // namespace um::cli
