#include "chain/ReduceToTarget.h"
#include "cli/Commands.h"
#include "cli/Console.h"

#include <chrono>
#include <memory>

namespace um::cli {
namespace {

struct Options {
    std::string in, out, target, json, unit, tolerance;
    std::string screen = "1440px,50deg";
    bool measure = false;
};

int run(const Options& options) {
    const Answer answer(options.json);
    const Target target = parseTarget(options.target);
    const Screen screen = parseScreen(options.screen);
    const Length tolerance = options.tolerance.empty() ? Length{} : parseLength(options.tolerance);
    formatOfExtension(options.out);
    const MeshFile file = readWithNotes(options.in, options.unit);
    const auto begin = std::chrono::steady_clock::now();
    TargetResult result = [&] {
        const TerminalProgress terminal("Reducing");
        return reduceToTarget(file.mesh, target, screen, {}, terminal.progress());
    }();
    const double seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
    if (!result.deviation && (options.measure || !options.tolerance.empty())) {
        const TerminalProgress terminal("Measuring");
        result.deviation = measureDeviation(file.mesh, result.mesh, {}, terminal.progress());
    }
    {
        const TerminalProgress terminal("Writing");
        writeMesh(result.mesh, options.out, terminal.progress());
    }
    const double allowed = tolerance.inMeshUnits(file.mesh.metresPerUnit);
    const bool withinTolerance = options.tolerance.empty() || result.deviation->max <= allowed;
    std::string line = "Reduced " + options.in + " from " + formatCount(file.mesh.triangleCount()) + " to " +
                       formatCount(result.mesh.triangleCount()) + " triangles";
    if (result.deviation) line += ", " + deviationLine(*result.deviation, file.mesh.metresPerUnit);
    line += " -> " + options.out;
    if (!result.targetMet) line += "; the target was not reached: borders, seams and closed pieces allow no fewer";
    if (!withinTolerance)
        line += "; the tolerance of " + formatLength(allowed * file.mesh.metresPerUnit) + " is exceeded";
    answer.line(line);
    Json json = {{"source", meshJson(options.in, file.mesh)},
                 {"level", meshJson(options.out, result.mesh)},
                 {"target", options.target},
                 {"target_met", result.targetMet},
                 {"seconds", seconds}};
    if (result.deviation) json["deviation"] = deviationJson(*result.deviation, file.mesh, allowed);
    answer.json(json);
    return result.targetMet && withinTolerance ? done : checkMissed;
}

}  // namespace

void addReduce(CLI::App& app, int& code) {
    CLI::App* command =
        app.add_subcommand("reduce", "Reduces a mesh to a count, a share, a length or pixels at a distance");
    const auto options = std::make_shared<Options>();
    command->add_option("IN", options->in, "mesh to reduce")->required();
    command->add_option("OUT", options->out, "file to write (.glb, .gltf, .obj, .ply, .stl)")->required();
    command->add_option("--target", options->target, "12k, 1.2%, 0.5mm or 1px@24m")->required();
    command->add_option("--screen", options->screen, "the screen pixels are counted on")->capture_default_str();
    command->add_flag("--measure", options->measure, "measure the deviation of the result");
    command->add_option("--tolerance", options->tolerance, "measure, and end with 3 if the deviation is larger");
    command->add_option("--unit", options->unit, "the file's unit, where it does not say it: mm, cm, m, in, ft");
    command->add_option("--json", options->json, "also write JSON to this file; - is standard output");
    command->callback([options, &code] { code = run(*options); });
}

}  // namespace um::cli
