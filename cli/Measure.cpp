#include "bake/LookDifference.h"
#include "base/Error.h"
#include "base/Units.h"
#include "chain/Target.h"
#include "cli/Commands.h"
#include "cli/Console.h"
#include "measure/PixelLoad.h"
#include "measure/ShapeChange.h"
#include "measure/Silhouette.h"
#include "measure/TexelUse.h"
#include "measure/TextureDrift.h"

#include <cmath>
#include <memory>

namespace um::cli {
namespace {

struct MeasureOptions {
    std::string source, level, tolerance, json, unit, sourceUp = "y";
    std::string samples;
    bool drift = false, shape = false, load = false, texels = false, look = false;
    std::string silhouette, at, screen = "1440px,50deg";
    int views = SilhouetteSettings().views;
};

// How tall the source is drawn: as typed, or as it is seen at a distance. 0 if neither is asked for.
double heightPixels(const MeasureOptions& options, const Mesh& source) {
    if (!options.silhouette.empty() && !options.at.empty())
        throw InputError("Give either --silhouette or --at: both say how tall the outlines are drawn.");
    if (!options.silhouette.empty()) {
        const auto typed = parseNumberWithSuffix(options.silhouette);
        if (!typed || (typed->suffix != "px" && !typed->suffix.empty()) || !(typed->number >= 1))
            throw InputError("\"" + options.silhouette + "\" is no height in pixels: type it like 600px.");
        return typed->number;
    }
    if (options.at.empty()) return 0;
    const double distance = parseLength(options.at).inMeshUnits(source.metresPerUnit);
    return parseScreen(options.screen).pixels(standingHeight(source), distance);
}

constexpr int loadViews = 26;

Json loadJson(const PixelLoad& load) {
    return {{"pixels", load.pixels},
            {"pixels_per_triangle", load.pixelsPerTriangle},
            {"under_four_fraction", load.underFour},
            {"overdraw", load.overdraw}};
}

std::string loadLine(const PixelLoad& load) {
    return formatNumber(load.pixelsPerTriangle) + " px a triangle, " + formatNumber(100 * load.underFour) +
           " % under 4 px, overdraw " + formatNumber(load.overdraw);
}

Json texelsJson(const Mesh& mesh, double pixelsPerUnit) {
    Json list = Json::array();
    for (const TexelUse& use : measureTexelUse(mesh))
        list.push_back({{"material", mesh.materials[use.material].name},
                        {"size", {use.width, use.height}},
                        {"texels_per_unit", use.density},
                        {"p5", use.low},
                        {"p95", use.high},
                        {"texels_per_pixel", use.density / pixelsPerUnit},
                        {"enough", use.enough(pixelsPerUnit)},
                        {"stretched_fraction", use.stretched}});
    return list;
}

Json silhouetteJson(const Silhouette& silhouette) {
    const auto viewJson = [&](std::size_t i) {
        const OutlineDifference& view = silhouette.views[i];
        return Json{{"azimuth", silhouette.directions[i].azimuth},
                    {"elevation", silhouette.directions[i].elevation},
                    {"mean_px", view.mean},
                    {"max_px", view.max},
                    {"area_fraction", view.areaShare()}};
    };
    Json views = Json::array();
    for (std::size_t i = 0; i < silhouette.views.size(); ++i) views.push_back(viewJson(i));
    return {{"height_px", silhouette.heightPixels},
            {"views", silhouette.views.size()},
            {"mean_px", silhouette.mean},
            {"max_px", silhouette.max},
            {"area_fraction", silhouette.areaShare},
            {"lost_fraction", silhouette.lost},
            {"grown_fraction", silhouette.grown},
            {"worst", viewJson(silhouette.worst)},
            {"by_direction", views}};
}

int run(const MeasureOptions& options) {
    const Answer answer(options.json);
    const Length tolerance = options.tolerance.empty() ? Length{} : parseLength(options.tolerance);
    DeviationSettings settings;
    if (!options.samples.empty()) settings.samples = parseCount(options.samples);
    const MeshFile source = readWithNotes(options.source, options.unit, parseUp(options.sourceUp));
    MeshFile level = readWithNotes(options.level, options.unit, parseUp(options.sourceUp));
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
    if (options.shape) {
        const TerminalProgress terminal("Comparing shading");
        const ShapeChange change = measureShapeChange(source.mesh, level.mesh, terminal.progress());
        line += "; shading turned by " + formatNumber(change.meanTurn) + " deg on average, p95 " +
                formatNumber(change.p95Turn) + " deg; area " + formatNumber(100 * change.areaRatio) + " %, volume " +
                formatNumber(100 * change.volumeRatio) + " % of the source's";
        json["shape"] = {{"mean_turn_degrees", change.meanTurn},
                         {"p95_turn_degrees", change.p95Turn},
                         {"area_ratio", change.areaRatio},
                         {"volume_ratio", change.volumeRatio}};
    }
    const double height = heightPixels(options, source.mesh);
    if ((options.load || options.texels || options.look) && !(height > 0))
        throw InputError(
            "Say with --at or --silhouette how large it is seen: pixel load, texels and look depend on that.");
    const double pixelsPerUnit = height / std::max(1e-30, standingHeight(source.mesh));
    if (options.load) {
        const TerminalProgress terminal("Counting triangles in pixels");
        const PixelLoad before =
            measurePixelLoad(source.mesh, loadViews, pixelsPerUnit, terminal.progress().span(0, 0.8));
        const PixelLoad after =
            measurePixelLoad(level.mesh, loadViews, pixelsPerUnit, terminal.progress().span(0.8, 1));
        line += "; " + loadLine(after) + " (source: " + loadLine(before) + ")";
        json["pixel_load"] = {{"views", loadViews},
                              {"pixels_per_unit", pixelsPerUnit},
                              {"source", loadJson(before)},
                              {"level", loadJson(after)}};
    }
    if (options.texels) {
        json["texels"] = texelsJson(level.mesh, pixelsPerUnit);
        for (const Json& one : json["texels"])
            line += "; " + one["material"].get<std::string>() + ": " + formatNumber(one["texels_per_pixel"]) +
                    " texels a pixel, " + std::to_string(one["enough"].get<int>()) + " px would do for " +
                    std::to_string(std::max(one["size"][0].get<int>(), one["size"][1].get<int>()));
        if (json["texels"].empty()) line += "; no surface has a texture";
    }
    if (options.look) {
        const TerminalProgress terminal("Comparing looks");
        std::vector<std::string> notes;
        const LookDifference look = measureLook(SurfaceMaterial(source.mesh, notes), SurfaceMaterial(level.mesh, notes),
                                                pixelsPerUnit, terminal.progress());
        const Direction worst{look.azimuth, look.elevation};
        line += "; look off by " + formatNumber(look.mean) + " (CIELAB) on average, p95 " + formatNumber(look.p95) +
                ", worst " + formatNumber(look.worst) + " " + describe(worst);
        for (const std::string& note : notes) line += "; " + note;
        json["look"] = {{"mean", look.mean},
                        {"p95", look.p95},
                        {"pixels", look.covered},
                        {"worst", {{"mean", look.worst}, {"azimuth", look.azimuth}, {"elevation", look.elevation}}}};
    }
    if (height > 0) {
        const TerminalProgress terminal("Comparing outlines");
        const Silhouette silhouette =
            measureSilhouette(source.mesh, level.mesh, {options.views, height}, terminal.progress());
        line += "; outline at " + formatNumber(std::round(height)) + " px off by " + formatNumber(silhouette.mean) +
                " px on average, at most " + formatNumber(silhouette.max) + " px " +
                describe(silhouette.directions[silhouette.worst]) + ", " + formatNumber(100 * silhouette.areaShare) +
                " % of its area";
        json["silhouette"] = silhouetteJson(silhouette);
    }
    answer.line(line);
    answer.json(json);
    return options.tolerance.empty() || deviation.max <= allowed ? done : checkMissed;
}

}  // namespace

void addMeasure(CLI::App& app, int& code) {
    CLI::App* command = app.add_subcommand("measure", "How far a level is from its source, measured both ways");
    const auto options = std::make_shared<MeasureOptions>();
    command->add_option("SOURCE", options->source, "the untouched mesh")->required();
    command->add_option("LEVEL", options->level, "the reduced one")->required();
    command->add_option("--tolerance", options->tolerance,
                        "say what share is within it; end with 3 if the largest is not");
    command->add_option("--samples", options->samples,
                        "points on each surface (default: a quarter of the source's triangles)");
    command->add_flag("--drift", options->drift, "also measure how far textures have moved along the surface");
    command->add_flag("--look", options->look, "how different both look with their textures, lit, where they are seen");
    command->add_flag("--shape", options->shape,
                      "also measure how far shading turns, and the change of area and volume");
    command->add_option("--silhouette", options->silhouette,
                        "also compare the outlines, with the source drawn so tall, such as 600px");
    command->add_option("--at", options->at, "also compare the outlines as seen at this distance, such as 24m");
    command->add_flag("--load", options->load, "also count triangles for each pixel, seen as large as that");
    command->add_flag("--texels", options->texels, "also tell texels for each pixel, and which size would do");
    command->add_option("--screen", options->screen, "the screen of --at")->capture_default_str();
    command->add_option("--views", options->views, "directions of the outlines: 26, 98 or 386")->capture_default_str();
    command->add_option("--unit", options->unit, "the files' unit, where they do not say it: mm, cm, m, in, ft");
    command->add_option("--source-up", options->sourceUp, "what points up in files that do not say it: y or z")
        ->capture_default_str();
    command->add_option("--json", options->json, "also write JSON to this file; - is standard output");
    command->callback([options, &code] { code = run(*options); });
}

}  // namespace um::cli
