#include "base/Error.h"
#include "base/Units.h"
#include "cli/Commands.h"
#include "cli/Console.h"
#include "mesh/Health.h"

#include <memory>
#include <optional>

namespace um::cli {
namespace {

struct RepairOptions {
    std::string in, out, json, unit;
    std::optional<std::string> weld, fill, dropBits;
    bool turn = false, drop = false;
};

struct Step {
    Fault fault;
    std::string name;
    double size;
};

// In an order in which each step finds what the ones before it have mended.
std::vector<Step> stepsOf(const RepairOptions& options, const Mesh& mesh) {
    std::vector<Step> steps;
    const auto sized = [&](const std::optional<std::string>& typed, Fault fault, const char* name) {
        if (!typed) return;
        const double size =
            typed->empty() ? usualSize(mesh, fault) : parseLength(*typed).inMeshUnits(mesh.metresPerUnit);
        steps.push_back({fault, name, size});
    };
    sized(options.weld, Fault::Crack, "welded");
    if (options.drop) {
        steps.push_back({Fault::Duplicate, "duplicates_dropped", 0});
        steps.push_back({Fault::ZeroArea, "collapsed_dropped", 0});
    }
    sized(options.dropBits, Fault::LooseBit, "bits_dropped");
    if (options.turn) {
        steps.push_back({Fault::Winding, "turned", 0});
        steps.push_back({Fault::InsideOut, "pieces_turned", 0});
    }
    sized(options.fill, Fault::Hole, "filled");
    if (options.drop) steps.push_back({Fault::Isolated, "isolated_dropped", 0});
    if (steps.empty())
        throw InputError(
            "Say what to repair: --weld, --drop, --drop-bits, --turn or --fill; umesh inspect --findings "
            "tells what there is.");
    return steps;
}

int run(const RepairOptions& options) {
    const Answer answer(options.json);
    formatOfExtension(options.out);
    MeshFile file = readWithNotes(options.in, options.unit);
    Json json = {{"source", meshJson(options.in, file.mesh)}};
    std::string line;
    for (const Step& step : stepsOf(options, file.mesh)) {
        const TerminalProgress terminal("Repairing");
        const std::size_t count = repairFault(file.mesh, step.fault, step.size, terminal.progress());
        json[step.name] = count;
        std::string words = step.name;
        std::replace(words.begin(), words.end(), '_', ' ');
        line += (line.empty() ? "" : ", ") + formatCount(count) + " " + words;
    }
    {
        const TerminalProgress terminal("Writing " + options.out);
        writeMesh(file.mesh, options.out, terminal.progress());
    }
    json["result"] = meshJson(options.out, file.mesh);
    answer.line("Repaired " + options.in + ": " + line + " -> " + options.out);
    answer.json(json);
    return done;
}

}  // namespace

void addRepair(CLI::App& app, int& code) {
    CLI::App* command = app.add_subcommand("repair", "Takes faults out of a mesh where that is safe");
    const auto options = std::make_shared<RepairOptions>();
    command->add_option("IN", options->in, "the mesh to repair")->required();
    command->add_option("OUT", options->out, "where the repaired one goes")->required();
    command->add_option("--weld", options->weld, "join borders that are no farther apart than this, such as 0.1mm")
        ->expected(0, 1);
    command->add_option("--fill", options->fill, "fill holes up to this length around, such as 20mm")->expected(0, 1);
    command->add_option("--drop-bits", options->dropBits, "drop loose bits up to this size across, such as 5mm")
        ->expected(0, 1);
    command->add_flag("--turn", options->turn, "turn triangles so that neighbours agree, closed pieces outwards");
    command->add_flag("--drop", options->drop, "drop duplicate and collapsed triangles, and unused vertices");
    command->add_option("--unit", options->unit, "the file's unit, where it does not say it: mm, cm, m, in, ft");
    command->add_option("--json", options->json, "also write JSON to this file; - is standard output");
    command->callback([options, &code] { code = run(*options); });
}

}  // namespace um::cli
