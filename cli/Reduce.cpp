#include "base/Error.h"
#include "base/Units.h"
#include "chain/ReduceLargeFile.h"
#include "chain/ReduceToTarget.h"
#include "cli/Commands.h"
#include "cli/Console.h"
#include "mesh/Statistics.h"

#include <chrono>
#include <memory>

namespace um::cli {
namespace {

struct ReduceOptions {
    std::string in, out, target, json, unit, tolerance, sourceUp = "y";
    std::string screen = "1440px,50deg";
    bool measure = false;
    std::string protect, guard, guardChannel, dropLoose, join, memory;
    std::vector<std::string> parts;
    std::string normals = "auto";
    double silhouetteWeight = 0, crease = ReduceSettings().creaseDegrees;
    std::size_t leastOfPart = 0;
    bool isThorough = false, dropUnseen = false, noPolish = false;
};

std::size_t parseMemory(const std::string& text) {
    const auto number = parseNumberWithSuffix(text);
    const std::string suffix = number ? number->suffix : "";
    const double factor = suffix == "G" || suffix == "GB" || suffix == "GiB"   ? 1073741824.0
                          : suffix == "M" || suffix == "MB" || suffix == "MiB" ? 1048576.0
                                                                               : 0;
    if (!number || !(number->number * factor >= 1 << 20) || number->number * factor > 1e15)
        throw InputError("\"" + text + "\" is not an amount of memory: type it like 4G or 500M.");
    return std::size_t(number->number * factor);
}

NormalTreatment parseNormals(const std::string& text) {
    if (text == "auto") return NormalTreatment::Automatic;
    if (text == "keep") return NormalTreatment::Keep;
    if (text == "remake") return NormalTreatment::Remake;
    throw InputError("\"" + text + "\" is no way to treat normals: type auto, keep or remake.");
}

// Files that do not say what is up keep their axes; one that does gets them right.
void writeUpright(const ReduceOptions& options, const Mesh& mesh, const Progress& progress) {
    const bool isToStandUp =
        parseUp(options.sourceUp) == UpAxis::Z && !saysWhatIsUp(options.in) && saysWhatIsUp(options.out);
    if (!isToStandUp) {
        writeMesh(mesh, options.out, progress);
        return;
    }
    Mesh upright = mesh;
    standUpAlongY(upright);
    writeMesh(upright, options.out, progress);
}

// What can be said without the mesh.
ReduceSettings commonSettings(const ReduceOptions& options) {
    ReduceSettings settings;
    settings.protect = parseProtect(options.protect);
    if (!(options.silhouetteWeight >= 0 && options.silhouetteWeight <= 1))
        throw InputError("The silhouette weight goes from 0 to 1.");
    settings.silhouetteWeight = options.silhouetteWeight;
    settings.leastOfPart = options.leastOfPart;
    settings.dropUnseen = options.dropUnseen;
    settings.normals = parseNormals(options.normals);
    settings.creaseDegrees = options.crease;
    settings.polish = !options.noPolish;
    if (options.isThorough && options.noPolish)
        throw InputError("A thorough search is a matter of the polish: leave out --thorough or --no-polish.");
    return settings;
}

ReduceSettings settingsFor(const ReduceOptions& options, const Mesh& mesh, const Screen& screen) {
    ReduceSettings settings = commonSettings(options);
    settings.onlyParts = options.parts;
    if (!options.guard.empty()) settings.guard = readGuard(options.guard);
    if (!options.guardChannel.empty()) {
        const std::size_t channel = std::string("rgba").find(options.guardChannel);
        if (channel == std::string::npos || options.guardChannel.size() != 1)
            throw InputError("\"" + options.guardChannel + "\" is no colour channel: type r, g, b or a.");
        settings.guard.vertices = guardFromColors(mesh, int(channel)).vertices;
    }
    const double size = diagonal(mesh);
    if (!options.dropLoose.empty())
        settings.dropLooseBelow = parseSize(options.dropLoose, size, screen, mesh.metresPerUnit);
    if (!options.join.empty()) settings.joinWithin = parseSize(options.join, size, screen, mesh.metresPerUnit);
    return settings;
}

// The way of files larger than memory.
int runLarge(const ReduceOptions& options, const Answer& answer, const Target& target, std::size_t memory) {
    if (!options.guard.empty() || !options.guardChannel.empty() || !options.parts.empty() ||
        !options.dropLoose.empty() || !options.join.empty())
        throw InputError(options.in +
                         " is larger than the memory allowed; guards, parts, dropping loose pieces and joining need "
                         "it whole: allow more memory, or leave them out.");
    const auto begin = std::chrono::steady_clock::now();
    const LargeResult result = [&] {
        const TerminalProgress terminal("Reducing piece by piece");
        return reduceLargeFile(options.in, target, commonSettings(options), memory, terminal.progress());
    }();
    const double seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
    {
        const TerminalProgress terminal("Writing");
        writeUpright(options, result.mesh, terminal.progress());
    }
    const auto length = [&](double value) { return formatLength(value * result.mesh.metresPerUnit); };
    answer.line("Reduced " + options.in + " from " + formatCount(result.sourceTriangles) + " to " +
                formatCount(result.mesh.triangleCount()) + " triangles piece by piece; of " +
                formatCount(result.samples) + " of its points the farthest is " + length(result.max) + " off, rms " +
                length(result.rms) + " -> " + options.out + (result.targetMet ? "" : "; the target was not reached"));
    answer.json({{"source", {{"file", options.in}, {"triangles", result.sourceTriangles}}},
                 {"level", meshJson(options.out, result.mesh)},
                 {"target", options.target},
                 {"target_met", result.targetMet},
                 {"clustered_triangles", result.clusteredTriangles},
                 {"sampled_source_to_level",
                  {{"samples", result.samples}, {"max", result.max}, {"rms", result.rms}, {"p95", result.p95}}},
                 {"seconds", seconds}});
    return result.targetMet ? done : checkMissed;
}

int run(const ReduceOptions& options) {
    const Answer answer(options.json);
    const Target target = parseTarget(options.target);
    const Screen screen = parseScreen(options.screen);
    const Length tolerance = options.tolerance.empty() ? Length{} : parseLength(options.tolerance);
    formatOfExtension(options.out);
    parseUp(options.sourceUp);
    commonSettings(options);
    const std::size_t memory = options.memory.empty() ? memoryToSpare() : parseMemory(options.memory);
    if (needsStreaming(options.in, memory) && options.isThorough)
        throw InputError(options.in + " is reduced piece by piece, which cannot be searched thoroughly: leave out " +
                         "--thorough, or allow more --memory.");
    if (needsStreaming(options.in, memory)) return runLarge(options, answer, target, memory);
    const MeshFile file = readWithNotes(options.in, options.unit);
    const ReduceSettings settings = settingsFor(options, file.mesh, screen);
    const std::string faults = [&] {
        const TerminalProgress terminal("Checking");
        return faultsOf(gatherWholeStatistics(file.mesh, terminal.progress()));
    }();
    const auto begin = std::chrono::steady_clock::now();
    TargetResult result = [&] {
        const TerminalProgress terminal("Reducing");
        return reduceToTarget(file.mesh, target, screen, settings, options.isThorough, terminal.progress());
    }();
    const double seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
    if (!result.deviation && (options.measure || !options.tolerance.empty())) {
        const TerminalProgress terminal("Measuring");
        result.deviation = measureDeviation(file.mesh, result.mesh, {}, terminal.progress());
    }
    {
        const TerminalProgress terminal("Writing");
        writeUpright(options, result.mesh, terminal.progress());
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
    if (!faults.empty()) answer.line("  The source has " + faults + "; they were left as they are or fell away.");
    for (const std::string& sentence : result.notes.sentences(file.mesh.metresPerUnit)) answer.line("  " + sentence);
    Json json = {{"source", meshJson(options.in, file.mesh)},
                 {"level", meshJson(options.out, result.mesh)},
                 {"source_faults", faults},
                 {"target", options.target},
                 {"target_met", result.targetMet},
                 {"thorough", options.isThorough},
                 {"protect", formatProtect(settings.protect)},
                 {"notes", result.notes.sentences(file.mesh.metresPerUnit)},
                 {"seconds", seconds}};
    if (result.deviation) json["deviation"] = deviationJson(*result.deviation, file.mesh, allowed);
    answer.json(json);
    return result.targetMet && withinTolerance ? done : checkMissed;
}

}  // namespace

void addReduce(CLI::App& app, int& code) {
    CLI::App* command =
        app.add_subcommand("reduce", "Reduces a mesh to a count, a share, a length or pixels at a distance");
    const auto options = std::make_shared<ReduceOptions>();
    command->add_option("IN", options->in, "mesh to reduce")->required();
    command->add_option("OUT", options->out, "file to write (.glb, .gltf, .obj, .ply, .stl)")->required();
    command->add_option("--target", options->target, "12k, 1.2%, 0.5mm or 1px@24m")->required();
    command->add_option("--screen", options->screen, "the screen pixels are counted on")->capture_default_str();
    command->add_flag("--measure", options->measure, "measure the deviation of the result");
    command->add_option("--tolerance", options->tolerance, "measure, and end with 3 if the deviation is larger");
    command->add_option("--protect", options->protect,
                        "borders=hard,seams=on,creases=30deg,materials=off,skin=on: each off, on or hard");
    command->add_option("--guard", options->guard, "a guard file: what to hold, keep or yield");
    command->add_option("--guard-channel", options->guardChannel,
                        "read the guard from this colour channel: r, g, b, a");
    command->add_option("--silhouette-weight", options->silhouetteWeight,
                        "how much dearer places on the outline are, 0 to 1");
    command->add_option("--parts", options->parts, "reduce only these parts, separated by commas")->delimiter(',');
    command->add_option("--least-of-part", options->leastOfPart, "triangles that each part keeps at least");
    command->add_option("--drop-loose", options->dropLoose,
                        "drop loose pieces smaller than 5mm, 0.2% or 3px@24m first, until the target is met");
    command->add_flag("--drop-unseen", options->dropUnseen, "drop triangles that no one sees from outside");
    command->add_option("--join", options->join, "let separate surfaces closer than this join");
    command->add_option("--normals", options->normals, "auto, keep or remake")->capture_default_str();
    command->add_option("--crease", options->crease, "degrees from which normals made anew are split")
        ->capture_default_str();
    command->add_flag("--thorough", options->isThorough,
                      "search for the closest level of a count or share; takes ten to thirty times as long");
    command->add_flag("--no-polish", options->noPolish, "leave the vertices where contraction put them");
    command->add_option("--memory", options->memory,
                        "memory allowed, such as 4G; larger files are reduced piece by piece");
    command->add_option("--unit", options->unit, "the file's unit, where it does not say it: mm, cm, m, in, ft");
    command
        ->add_option("--source-up", options->sourceUp,
                     "what points up in a file that does not say it, y or z, for writing glTF")
        ->capture_default_str();
    command->add_option("--json", options->json, "also write JSON to this file; - is standard output");
    command->callback([options, &code] { code = run(*options); });
}

}  // namespace um::cli
