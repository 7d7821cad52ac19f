#include "chain/Delivery.h"

#include "base/Error.h"
#include "base/File.h"
#include "base/Json.h"
#include "files/NamePattern.h"
#include "mesh/DrawOrder.h"

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>

namespace um {
namespace {

constexpr int manifestVersion = 2;

bool isGltf(const DeliverySettings& settings) {
    return settings.format == "glb" || settings.format == "gltf";
}

void requireSensible(const DeliverySettings& settings) {
    formatOfExtension("level." + settings.format);
    if (isGltf(settings)) {
        if (settings.placement.up != UpAxis::Y)
            throw InputError("In GLB and glTF y is always up; choose OBJ, PLY or STL for another axis.");
        if (settings.placement.metresPerUnit > 0 && settings.placement.metresPerUnit != 1)
            throw InputError("GLB and glTF are always in metres; choose OBJ, PLY or STL for another unit.");
        return;
    }
    if (settings.oneFile)
        throw InputError("Only GLB and glTF hold several levels in one file; write the others one by one.");
    if (settings.packing != GltfPacking::None)
        throw InputError("Only GLB and glTF can be quantised or compressed; leave that out for the others.");
}

// Until what share of the screen's height each level is drawn.
std::vector<double> coverages(const Delivery& delivery) {
    const Chain& chain = delivery.chain;
    const Screen& screen = delivery.recipe.screen;
    std::vector<double> sizes;
    for (std::size_t i = 1; i < chain.levels.size(); ++i)
        sizes.push_back(std::min(1.0, chain.size.screenSize(screen, std::max(1e-12, chain.band.from[i]))));
    // Once its whole is under a pixel, nothing of it is to be seen.
    sizes.push_back(std::isfinite(chain.band.gone) ? chain.size.screenSize(screen, chain.band.gone)
                                                   : 1.0 / screen.heightPixels);
    return sizes;
}

std::filesystem::path inFolder(const std::filesystem::path& folder, const std::filesystem::path& file) {
    const std::filesystem::path path = folder / file;
    std::error_code problem;
    std::filesystem::create_directories(path.parent_path(), problem);
    if (problem)
        throw FileError("The folder " + path.parent_path().string() + " cannot be made (" + problem.message() +
                        "); choose another one.");
    return path;
}

DeliveredFile written(const std::filesystem::path& folder, const std::filesystem::path& file, std::size_t plainBytes) {
    DeliveredFile result;
    result.file = file;
    result.bytes = std::filesystem::file_size(folder / file);
    result.plainBytes = plainBytes > 0 ? plainBytes : result.bytes;
    result.hash = hashFile(folder / file, Progress());
    return result;
}

std::vector<Pop> popsOf(const Delivery& delivery, const Progress& progress) {
    std::vector<Pop> pops;
    const auto& levels = delivery.chain.levels;
    for (std::size_t i = 1; i < levels.size(); ++i) {
        const double share = 1 / double(levels.size());
        pops.push_back(measurePop(
            *levels[i - 1].mesh, *levels[i].mesh,
            delivery.recipe.screen.pixels(levels[i].mesh->metresPerUnit, std::max(1e-9, delivery.chain.band.from[i])),
            progress.span(share * double(i - 1), share * double(i))));
    }
    return pops;
}

Json evidenceJson(const Level& level, double metres) {
    const Deviation& d = *level.evidence;
    Json json = {{"max", d.max * metres}, {"max_bound", d.maxBound * metres},
                 {"rms", d.rms * metres}, {"mean", d.mean * metres},
                 {"p95", d.p95 * metres}, {"p99", d.p99 * metres}};
    return json;
}

}  // namespace

double Delivered::bytes() const {
    double sum = 0;
    for (const DeliveredFile& file : files) sum += double(file.bytes);
    return sum;
}

double Delivered::plainBytes() const {
    double sum = 0;
    for (const DeliveredFile& file : files) sum += double(file.plainBytes);
    return sum;
}

GltfPacking parsePacking(std::string_view text) {
    if (text == "none") return GltfPacking::None;
    if (text == "quantised") return GltfPacking::Quantised;
    if (text == "draco") return GltfPacking::Draco;
    throw InputError("\"" + std::string(text) + "\" is no packing: there are none, quantised and draco.");
}

Pivot parsePivot(std::string_view text) {
    if (text == "kept") return Pivot::Kept;
    if (text == "ground") return Pivot::Ground;
    if (text == "centre") return Pivot::Centre;
    throw InputError("\"" + std::string(text) + "\" is no pivot: there are kept, ground and centre.");
}

std::vector<std::filesystem::path> deliveryNames(const Delivery& delivery, const DeliverySettings& settings) {
    requireSensible(settings);
    std::vector<std::filesystem::path> files;
    const auto& levels = delivery.chain.levels;
    for (std::size_t i = 0; i < levels.size(); ++i)
        files.emplace_back((settings.oneFile ? fillPattern("{name}", delivery.name, "", 0)
                                             : fillPattern(settings.pattern, delivery.name, levels[i].name, i)) +
                           "." + settings.format);
    for (std::size_t i = 1; i < files.size() && !settings.oneFile; ++i)
        if (std::find(files.begin(), files.begin() + long(i), files[i]) != files.begin() + long(i))
            throw InputError("Several levels would go into " + files[i].string() +
                             ": put {n} or {level} into the file names.");
    return files;
}

Delivered deliver(const Delivery& delivery, const std::filesystem::path& folder, const DeliverySettings& settings,
                  const Progress& progress) {
    const std::vector<std::filesystem::path> names = deliveryNames(delivery, settings);
    const auto& levels = delivery.chain.levels;
    if (levels.empty()) throw InputError("There is no level to deliver yet.");
    const std::vector<Pop> pops = popsOf(delivery, progress.span(0, 0.3));
    const Box3f box = boundingBox(*levels.front().mesh);
    std::vector<Mesh> meshes;
    for (const Level& level : levels) {
        progress.check();
        Mesh mesh = placed(*level.mesh, settings.placement, box);
        meshes.push_back(settings.drawOrder ? inDrawOrder(mesh) : std::move(mesh));
    }
    const Progress writing = progress.span(0.4, 1);
    const bool binary = settings.format == "glb", packed = settings.packing != GltfPacking::None;
    Delivered result;
    if (settings.oneFile) {
        std::vector<const Mesh*> all;
        for (const Mesh& mesh : meshes) all.push_back(&mesh);
        const std::vector<double> sizes = coverages(delivery);
        writeGltfLevels(all, sizes, inFolder(folder, names.front()), binary, settings.packing, writing.span(0, 0.6));
        const std::size_t plain =
            packed ? gltfOf(all, sizes, binary, GltfPacking::None, writing.span(0.6, 1)).size() : 0;
        result.files.push_back(written(folder, names.front(), plain));
    } else {
        for (std::size_t i = 0; i < meshes.size(); ++i) {
            const Progress own = writing.span(double(i) / double(meshes.size()), double(i + 1) / double(meshes.size()));
            const std::filesystem::path path = inFolder(folder, names[i]);
            if (isGltf(settings))
                writeGltfLevels({&meshes[i]}, {}, path, binary, settings.packing, own.span(0, 0.6));
            else
                writeMesh(meshes[i], path, own);
            const std::size_t plain =
                packed ? gltfOf({&meshes[i]}, {}, binary, GltfPacking::None, own.span(0.6, 1)).size() : 0;
            result.files.push_back(written(folder, names[i], plain));
        }
    }
    result.manifest = manifestName(delivery.name);
    result.manifestText = manifestJson(delivery, settings, result.files, pops);
    writeWhole(inFolder(folder, result.manifest), [&](FileWriter& writer) { writer.write(result.manifestText); });
    progress.at(1);
    return result;
}

std::filesystem::path manifestName(const std::string& name) {
    return fillPattern("{name}_chain", name, "", 0) + ".json";
}

std::vector<std::string> companionsOfDelivered(const std::filesystem::path& folder, const std::string& name) {
    try {
        const std::filesystem::path path = folder / manifestName(name);
        if (!std::filesystem::exists(path)) return {};
        return Json::parse(MappedFile(path).text()).value("source_companions", std::vector<std::string>());
    } catch (const Json::exception&) {
        return {};
    } catch (const FileError&) {
        return {};
    }
}

bool isUpToDate(const std::filesystem::path& folder, const std::string& name, const std::string& madeFrom) {
    try {
        const std::filesystem::path path = folder / manifestName(name);
        if (!std::filesystem::exists(path)) return false;
        const Json json = Json::parse(MappedFile(path).text());
        if (json.at("made_from") != madeFrom) return false;
        for (const Json& level : json.at("levels")) {
            const std::filesystem::path file = folder / level.at("file").get<std::string>();
            if (!std::filesystem::exists(file) || hashFile(file, Progress()) != level.at("file_hash")) return false;
        }
        return true;
    } catch (const Json::exception&) {
        return false;  // something else, which is written over
    } catch (const FileError&) {
        return false;
    }
}

std::string manifestJson(const Delivery& delivery, const DeliverySettings& settings,
                         const std::vector<DeliveredFile>& files, const std::vector<Pop>& pops) {
    const Chain& chain = delivery.chain;
    const Screen& screen = delivery.recipe.screen;
    const Switching& switching = delivery.recipe.switching;
    Json levels = Json::array();
    for (std::size_t i = 0; i < chain.levels.size(); ++i) {
        const Level& level = chain.levels[i];
        const Mesh& mesh = *level.mesh;
        const DeliveredFile& file = files[settings.oneFile ? 0 : i];
        const double from = chain.band.from[i];
        const double until = i + 1 < chain.levels.size() ? chain.band.from[i + 1] : chain.band.gone;
        Json json = {{"name", level.name},
                     {"file", file.file.generic_string()},
                     {"file_bytes", file.bytes},
                     {"file_hash", file.hash},
                     {"target", level.recipe.target},
                     {"target_met", level.targetMet},
                     {"handmade", level.isHandmade},
                     {"triangles", mesh.triangleCount()},
                     {"vertices", mesh.vertexCount()},
                     {"draw_calls", mesh.sections.size()},
                     {"materials", nameOf(level.recipe.materials)},
                     {"switch_distance_metres", from},
                     {"return_distance_metres", from * (1 - switching.hysteresis)},
                     {"until_metres", std::isfinite(until) ? Json(until) : Json(nullptr)},
                     {"screen_size", i == 0 ? 1.0 : chain.size.screenSize(screen, std::max(1e-12, from))}};
        if (settings.packing != GltfPacking::None) json["file_bytes_plain"] = file.plainBytes;
        if (level.evidence) json["deviation_metres"] = evidenceJson(level, mesh.metresPerUnit);
        if (level.bake) {
            const BakeFigures& bake = *level.bake;
            json["bake"] = {{"sheet", bake.sheet},
                            {"sheets", bake.sheets},
                            {"texels_covered", bake.covered},
                            {"texels_missed", bake.missed},
                            {"looks_off", {{"mean", bake.look.mean}, {"worst", bake.look.worst}}}};
        }
        if (level.outline) json["outline_metres"] = {{"max", level.outline->max}, {"mean", level.outline->mean}};
        if (i > 0 && i <= pops.size())
            json["pop"] = {{"outline_pixels", pops[i - 1].outline},
                           {"shading_pixels", pops[i - 1].shading},
                           {"share", pops[i - 1].share()}};
        json["shape_hash"] =
            hashBytes({std::as_bytes(std::span(mesh.positions)), std::as_bytes(std::span(mesh.triangles))});
        levels.push_back(json);
    }
    Json budget = Json::array();
    double bytes = 0;
    for (const DeliveredFile& file : files) bytes += double(file.bytes);
    for (const BudgetLine& line : holdAgainst(delivery.recipe.budget, chain.levels, bytes))
        budget.push_back({{"name", line.name},
                          {"unit", line.unit},
                          {"used", line.used},
                          {"allowed", line.allowed > 0 ? Json(line.allowed) : Json(nullptr)},
                          {"over", line.isOver()}});
    const Json json = {{"manifest", manifestVersion},
                       {"name", delivery.name},
                       {"made_from", delivery.madeFrom},
                       {"source_companions", delivery.sourceCompanions},
                       {"source_triangles", delivery.sourceTriangles},
                       {"height_metres", chain.size.height},
                       {"bounding_sphere_metres", chain.size.diagonal},
                       {"gone_metres", std::isfinite(chain.band.gone) ? Json(chain.band.gone) : Json(nullptr)},
                       {"hysteresis", switching.hysteresis},
                       {"cross_fade", switching.crossFade},
                       {"recipe", Json::parse(recipeJson(delivery.recipe))},
                       {"levels", levels},
                       {"budget", budget},
                       {"advice", chain.advice}};
    return json.dump(2, ' ', false, Json::error_handler_t::replace) + "\n";
}

}  // namespace um
