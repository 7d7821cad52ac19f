#include "base/Units.h"
#include "cli/Commands.h"
#include "cli/Console.h"
#include "measure/TextureDrift.h"

#include <memory>

namespace um::cli {
namespace {

struct Options {
    std::string source, level, tolerance, json, unit;
    std::string samples;
    bool drift = false;
};

int run(const Options& options) {
    const Answer answer(options.json);
    const Length tolerance = options.tolerance.empty() ? Length{} : parseLength(options.tolerance);
    DeviationSettings settings;
    if (!options.samples.empty()) settings.samples = parseCount(options.samples);
    const MeshFile source = readWithNotes(options.source, options.unit);
    MeshFile level = readWithNotes(options.level, options.unit);
    // A level that does not say its unit is in its source's.
    if (level.mesh.unitStated) convertUnit(level.mesh, source.mesh.metresPerUnit);
    const Deviation deviation = [&] {
        const TerminalProgress terminal("Measuring");
        return measureDeviation(source.mesh, level.mesh, settings, terminal.progress());
    }();
    const double allowed = tolerance.inMeshUnits(source.mesh.metresPerUnit);
    const double metres = source.mesh.metresPerUnit;
    std::string line = options.level + " against " + options.source + ": " + deviationLine(deviation, metres);
    if (!options.tolerance.empty())
        line += "; " + formatNumber(100 * deviation.distribution.shareWithin(allowed)) + " % within " +
                formatLength(allowed * metres);
    Json json = {{"source", meshJson(options.source, source.mesh)},
                 {"level", meshJson(options.level, level.mesh)},
                 {"deviation", deviationJson(deviation, source.mesh, allowed)}};
    if (options.drift) {
        const TerminalProgress terminal("Measuring the texture's drift");
        const TextureDrift drift = measureTextureDrift(source.mesh, level.mesh, terminal.progress());
        line += "; texture drift rms " + formatLength(drift.rms * metres) + ", max " + formatLength(drift.max * metres);
        json["texture_drift"] = {{"mean", drift.mean}, {"rms", drift.rms}, {"p95", drift.p95}, {"max", drift.max}};
    }
    answer.line(line);
    answer.json(json);
    return options.tolerance.empty() || deviation.max <= allowed ? done : checkMissed;
}

}  // namespace

void addMeasure(CLI::App& app, int& code) {
    CLI::App* command = app.add_subcommand("measure", "How far a level is from its source, measured both ways");
    const auto options = std::make_shared<Options>();
    command->add_option("SOURCE", options->source, "the untouched mesh")->required();
    command->add_option("LEVEL", options->level, "the reduced one")->required();
    command->add_option("--tolerance", options->tolerance,
                        "say what share is within it; end with 3 if the largest is not");
    command->add_option("--samples", options->samples, "points on each surface (default: half the source's triangles)");
    command->add_flag("--drift", options->drift, "also measure how far textures have moved along the surface");
    command->add_option("--unit", options->unit, "the files' unit, where they do not say it: mm, cm, m, in, ft");
    command->add_option("--json", options->json, "also write JSON to this file; - is standard output");
    command->callback([options, &code] { code = run(*options); });
}

}  // namespace um::cli
