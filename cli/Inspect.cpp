#include "base/Units.h"
#include "cli/Commands.h"
#include "cli/Console.h"
#include "mesh/Health.h"
#include "mesh/Statistics.h"

#include <memory>

namespace um::cli {
namespace {

struct InspectOptions {
    std::vector<std::string> meshes;
    std::string json;
    std::string unit;
    bool findings = false;
};

Json vectorJson(const Vec3f& v) {
    return {v.x(), v.y(), v.z()};
}

Json statisticsJson(const Statistics& statistics) {
    return {{"triangles", statistics.triangles},
            {"vertices", statistics.vertices},
            {"materials", statistics.materials},
            {"box", {{"min", vectorJson(statistics.box.min())}, {"max", vectorJson(statistics.box.max())}}},
            {"area", statistics.area},
            {"uvs", statistics.hasUvs},
            {"normals", statistics.hasNormals},
            {"colors", statistics.hasColors},
            {"health",
             {{"pieces", statistics.pieces},
              {"border_edges", statistics.borderEdges},
              {"border_loops", statistics.borderLoops},
              {"non_manifold_edges", statistics.nonManifoldEdges},
              {"winding_edges", statistics.windingEdges},
              {"zero_area_triangles", statistics.zeroAreaTriangles},
              {"duplicate_triangles", statistics.duplicateTriangles},
              {"isolated_vertices", statistics.isolatedVertices}}}};
}

constexpr std::size_t mostPartsTold = 100;  // on a terminal

std::string healthLine(const Statistics& s) {
    const std::string borders = s.borderLoops > 0 ? countOf(s.borderLoops, "open border", "open borders") : "";
    const std::string faults = faultsOf(s);
    if (borders.empty() && faults.empty()) return "sound and closed";
    return borders + (borders.empty() || faults.empty() ? "" : ", ") + faults;
}

std::string summary(const std::string& path, const MeshFile& file, const MeshStatistics& statistics) {
    const Statistics& whole = statistics.whole;
    const Vec3f size = whole.box.max() - whole.box.min();
    const double metres = file.mesh.metresPerUnit;
    std::string text =
        path + ": " + formatName(file.format) + ", " + countOf(whole.triangles, "triangle", "triangles") + ", " +
        countOf(whole.vertices, "vertex", "vertices") + ", " + countOf(file.mesh.parts.size(), "part", "parts") + ", " +
        countOf(whole.materials, "material", "materials") + ", " + formatLength(double(size.x()) * metres) + " x " +
        formatLength(double(size.y()) * metres) + " x " + formatLength(double(size.z()) * metres) +
        (file.mesh.unitStated ? "" : " (unit assumed)") + ", " + countOf(whole.pieces, "piece", "pieces") + "; " +
        healthLine(whole);
    const std::size_t parts = file.mesh.parts.size();
    if (parts > 1)
        for (std::size_t part = 0; part < std::min(parts, mostPartsTold); ++part)
            text += "\n    " + file.mesh.parts[part].name + ": " + formatCount(statistics.parts[part].triangles) +
                    " triangles; " + healthLine(statistics.parts[part]);
    if (parts > mostPartsTold)
        text += "\n    and " + formatCount(parts - mostPartsTold) + " parts more; --json lists all of them";
    return text;
}

void run(const InspectOptions& options) {
    const Answer answer(options.json);
    Json all = Json::array();
    for (const std::string& path : options.meshes) {
        const MeshFile file = readWithNotes(path, options.unit);
        const MeshStatistics statistics = [&] {
            const TerminalProgress terminal("Counting");
            return gatherStatistics(file.mesh, terminal.progress());
        }();
        answer.line(summary(path, file, statistics));
        Json json = {{"file", path},
                     {"format", formatName(file.format)},
                     {"unit", unitName(file.mesh.metresPerUnit)},
                     {"unit_stated", file.mesh.unitStated},
                     {"diagonal", diagonal(file.mesh)}};
        json.update(statisticsJson(statistics.whole));
        json["notes"] = file.notes;
        json["remarks"] = file.remarks;
        json["parts"] = Json::array();
        for (std::size_t part = 0; part < file.mesh.parts.size(); ++part) {
            Json one = {{"name", file.mesh.parts[part].name}};
            one.update(statisticsJson(statistics.parts[part]));
            json["parts"].push_back(one);
        }
        json["material_list"] = Json::array();
        for (const Material& material : file.mesh.materials)
            json["material_list"].push_back({{"name", material.name}, {"base_color", material.baseColor}});
        if (options.findings) {
            const std::vector<Finding> findings = [&] {
                const TerminalProgress terminal("Looking for faults");
                return findFaults(file.mesh, terminal.progress());
            }();
            json["findings"] = Json::array();
            for (const Finding& finding : findings) {
                const std::string what = describeFinding(finding, file.mesh.metresPerUnit);
                answer.line("    " + what + ". " + whyItMatters(finding.fault));
                Json places = Json::array();
                for (const Vec3f& place : finding.places) places.push_back(vectorJson(place));
                json["findings"].push_back({{"what", what},
                                            {"why", whyItMatters(finding.fault)},
                                            {"count", finding.count},
                                            {"places", places}});
            }
            if (findings.empty()) answer.line("    Nothing is wrong with it.");
        }
        all.push_back(json);
    }
    answer.json(options.meshes.size() == 1 ? all[0] : all);
}

}  // namespace

void addInspect(CLI::App& app, int& code) {
    CLI::App* command = app.add_subcommand("inspect", "Counts, size, parts, materials and health of meshes");
    const auto options = std::make_shared<InspectOptions>();
    command->add_option("MESH", options->meshes, "files to look over")->required();
    command->add_option("--json", options->json, "also write JSON to this file; - is standard output");
    command->add_flag("--findings", options->findings, "say what is wrong, why it matters and where");
    command->add_option("--unit", options->unit, "the files' unit, where they do not say it: mm, cm, m, in, ft");
    command->callback([options, &code] {
        run(*options);
        code = done;
    });
}

}  // namespace um::cli
