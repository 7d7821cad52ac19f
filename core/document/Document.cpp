#include "document/Document.h"

#include "base/Error.h"
#include "base/File.h"
#include "base/Json.h"
#include "document/Database.h"
#include "document/Edits.h"
#include "files/MeshFile.h"

#include <cmath>
#include <map>
#include <nlohmann/json.hpp>

namespace um {
namespace {

Json usesJson(const Material& material) {
    Json json = Json::array();
    forTextureUses(material, [&](const TextureUse& use) { json.push_back({use.texture, use.second, use.strength}); });
    return json;
}

Json materialJson(const Material& m) {
    return {{"textures", usesJson(m)},       {"name", m.name},           {"base_color", m.baseColor},
            {"metallic", m.metallic},        {"roughness", m.roughness}, {"emission", m.emission},
            {"double_sided", m.doubleSided}, {"alpha", int(m.alpha)},    {"alpha_cutoff", m.alphaCutoff}};
}

Material materialFrom(const Json& json) {
    Material m;
    m.name = json.at("name");
    m.baseColor = json.at("base_color");
    m.metallic = json.at("metallic");
    m.roughness = json.at("roughness");
    m.emission = json.at("emission");
    m.doubleSided = json.at("double_sided");
    // Older documents know nothing of these.
    const int usual = int(m.baseColor[3] < 1 ? Material::Alpha::Blend : Material::Alpha::Opaque);
    m.alpha = Material::Alpha(std::clamp(json.value("alpha", usual), 0, 2));
    m.alphaCutoff = json.value("alpha_cutoff", 0.5f);
    std::size_t i = 0;
    if (json.contains("textures"))
        forTextureUses(m, [&](TextureUse& use) {
            const Json& from = json.at("textures").at(i++);
            use = {from.at(0), from.at(1), from.at(2)};
        });
    return m;
}

// Of the picture of a sheet's misses.
std::string missesName(const std::string& prefix, std::size_t sheet) {
    return prefix + "misses" + (sheet > 0 ? " " + std::to_string(sheet + 1) : "");
}

// The textures of all meshes of a document: source and levels share their bytes, which are kept once.
class TextureShelf {
public:
    Json put(Database& database, const Mesh& mesh, const Progress& progress) {
        Json json = Json::array();
        for (const Texture& t : mesh.textures) {
            const auto [place, isNew] = m_numbers.try_emplace(t.bytes.get(), m_numbers.size());
            if (isNew)
                database.writeBytes(nameOf(place->second), std::as_bytes(std::span(*t.bytes)), progress.span(1, 1));
            json.push_back({{"name", t.name},
                            {"mime_type", t.mimeType},
                            {"bytes", place->second},
                            {"width", t.width},
                            {"height", t.height},
                            {"bits", t.bits},
                            {"wrap", {int(t.wrapU), int(t.wrapV)}}});
        }
        return json;
    }

    std::vector<Texture> take(const Database& database, const Json& json) {
        std::vector<Texture> textures;
        for (const Json& from : json) {
            const std::size_t number = from.at("bytes");
            auto& bytes = m_bytes[number];
            if (!bytes) {
                const std::vector<std::byte> read = database.readBytes(nameOf(number));
                bytes = std::make_shared<const std::string>(reinterpret_cast<const char*>(read.data()), read.size());
            }
            Texture t{from.at("name"),  from.at("mime_type"), bytes,
                      from.at("width"), from.at("height"),    from.value("bits", 8)};
            t.wrapU = Texture::Wrap(from.at("wrap").at(0).get<int>());
            t.wrapV = Texture::Wrap(from.at("wrap").at(1).get<int>());
            textures.push_back(std::move(t));
        }
        return textures;
    }

private:
    static std::string nameOf(std::size_t number) { return "texture/" + std::to_string(number); }

    std::map<const void*, std::size_t> m_numbers;
    std::map<std::size_t, std::shared_ptr<const std::string>> m_bytes;
};

Json saveMesh(Database& database, TextureShelf& shelf, const std::string& prefix, const Mesh& mesh,
              const Progress& progress) {
    database.writeArray(prefix + "positions", mesh.positions, progress.span(0, 0.35));
    database.writeArray(prefix + "triangles", mesh.triangles, progress.span(0.35, 0.65));
    database.writeArray(prefix + "wedges", mesh.wedges, progress.span(0.65, 0.8));
    database.writeArray(prefix + "normals", mesh.normals, progress.span(0.8, 0.9));
    database.writeArray(prefix + "uvs", mesh.uvs, progress.span(0.9, 1));
    database.writeArray(prefix + "colors", mesh.colors, progress.span(0.9, 1));
    database.writeArray(prefix + "second_uvs", mesh.secondUvs, progress.span(1, 1));
    database.writeArray(prefix + "influences", mesh.influences, progress.span(1, 1));
    Json json = {{"metres_per_unit", mesh.metresPerUnit},
                 {"unit_stated", mesh.unitStated},
                 {"wants_tangents", mesh.wantsTangents}};
    json["morphs"] = Json::array();
    for (const Morph& morph : mesh.morphs) {
        database.writeArray(prefix + "morph " + std::to_string(json["morphs"].size()), morph.offsets,
                            progress.span(1, 1));
        json["morphs"].push_back(morph.name);
    }
    json["skeleton"] = Json::array();
    for (const Joint& joint : mesh.skeleton)
        json["skeleton"].push_back({joint.name, joint.parent, joint.local, joint.inverseBind});
    json["textures"] = shelf.put(database, mesh, progress);
    json["parts"] = Json::array();
    for (const Part& part : mesh.parts) json["parts"].push_back(part.name);
    json["materials"] = Json::array();
    for (const Material& material : mesh.materials) json["materials"].push_back(materialJson(material));
    json["sections"] = Json::array();
    for (const Section& s : mesh.sections)
        json["sections"].push_back({s.part, s.material, s.firstTriangle, s.triangleCount});
    return json;
}

std::shared_ptr<const Mesh> loadMesh(const Database& database, TextureShelf& shelf, const std::string& prefix,
                                     const Json& json, const std::string& shownName) {
    auto mesh = std::make_shared<Mesh>();
    mesh->positions = database.readArray<Vec3f>(prefix + "positions");
    mesh->triangles = database.readArray<Triangle>(prefix + "triangles");
    mesh->wedges = database.readArray<Triangle>(prefix + "wedges");
    mesh->normals = database.readArray<Vec3f>(prefix + "normals");
    mesh->uvs = database.readArray<Vec2f>(prefix + "uvs");
    mesh->colors = database.readArray<Color>(prefix + "colors");
    // Older documents know nothing of these.
    if (json.contains("morphs")) {
        mesh->secondUvs = database.readArray<Vec2f>(prefix + "second_uvs");
        mesh->influences = database.readArray<Influences>(prefix + "influences");
        mesh->wantsTangents = json.at("wants_tangents");
        for (const Json& name : json.at("morphs")) {
            const std::string number = std::to_string(mesh->morphs.size());
            mesh->morphs.push_back({name.get<std::string>(), database.readArray<Vec3f>(prefix + "morph " + number)});
        }
        for (const Json& joint : json.at("skeleton"))
            mesh->skeleton.push_back({joint.at(0), joint.at(1), joint.at(2), joint.at(3)});
    }
    mesh->metresPerUnit = json.at("metres_per_unit");
    mesh->unitStated = json.at("unit_stated");
    for (const Json& part : json.at("parts")) mesh->parts.push_back({part.get<std::string>()});
    for (const Json& material : json.at("materials")) mesh->materials.push_back(materialFrom(material));
    for (const Json& s : json.at("sections")) mesh->sections.push_back({s.at(0), s.at(1), s.at(2), s.at(3)});
    if (json.contains("textures")) mesh->textures = shelf.take(database, json.at("textures"));
    requireSound(*mesh, shownName);
    return mesh;
}

Care careFrom(const Json& json) {
    Care care;
    care.protect = parseProtect(json.at("protect").get<std::string>());
    care.guard = guardFromText(json.at("guard").get<std::string>());
    care.silhouetteWeight = json.at("silhouette_weight");
    care.dropLoose = json.at("drop_loose");
    care.isThorough = json.value("thorough", false);  // documents of before do not say it
    return care;
}

Json oneSidedJson(const OneSidedDeviation& d) {
    return {{"max", d.max}, {"mean", d.mean}, {"rms", d.rms},
            {"p95", d.p95}, {"p99", d.p99},   {"worst", {d.worstPlace.x(), d.worstPlace.y(), d.worstPlace.z()}}};
}

Vec3d placeFrom(const Json& json) {
    return {json.at(0).get<double>(), json.at(1).get<double>(), json.at(2).get<double>()};
}

OneSidedDeviation oneSidedFrom(const Json& json) {
    OneSidedDeviation d{json.at("max"), json.at("mean"), json.at("rms"), json.at("p95"), json.at("p99"), {}};
    d.worstPlace = placeFrom(json.at("worst"));
    return d;
}

// A large source has many vertices, and only the colour of its surface goes by their distances: steps of a 32,767th of
// the largest one are enough for that.
std::vector<std::int16_t> inSteps(const std::vector<float>& distances, double max) {
    std::vector<std::int16_t> steps(distances.size());
    for (std::size_t v = 0; v < steps.size(); ++v)
        steps[v] = max > 0 ? std::int16_t(std::lround(std::clamp(double(distances[v]) / max, -1.0, 1.0) * 32767)) : 0;
    return steps;
}

Json saveEvidence(Database& database, const std::string& prefix, const Deviation& d, const Progress& progress) {
    database.writeArray(prefix + "distribution", d.distribution.weights(), progress);
    database.writeArray(prefix + "deviation", d.atLevelVertex, progress);
    database.writeArray(prefix + "source_deviation", inSteps(d.atSourceVertex, d.max), progress);
    Json parts = Json::array(), places = Json::array();
    for (const PartDeviation& part : d.byPart) parts.push_back({part.max, part.mean, part.rms});
    for (const FarPlace& far : d.farPlaces)
        places.push_back({{far.place.x(), far.place.y(), far.place.z()},
                          {far.normal.x(), far.normal.y(), far.normal.z()},
                          far.distance,
                          far.isOnSource});
    return {{"by_part", parts},
            {"far_places", places},
            {"max", d.max},
            {"max_bound", d.maxBound},
            {"mean", d.mean},
            {"mean_signed", d.meanSigned},
            {"rms", d.rms},
            {"p95", d.p95},
            {"p99", d.p99},
            {"worst", {d.worstPlace.x(), d.worstPlace.y(), d.worstPlace.z()}},
            {"reach", d.distribution.reach()},
            {"source_to_level", oneSidedJson(d.sourceToLevel)},
            {"level_to_source", oneSidedJson(d.levelToSource)}};
}

// The levels that the document does not carry come out again as they were.
void makeMissingLevels(Document& document, const Progress& progress) {
    std::vector<const Level*> ready;
    for (const Level& level : document.levels) ready.push_back(level.mesh ? &level : nullptr);
    if (std::find(ready.begin(), ready.end(), nullptr) == ready.end()) return;
    Chain chain = makeChain({*document.source, sourceMark(document)}, recipeOf(document), ready, progress);
    for (std::size_t i = 0; i < ready.size(); ++i) chain.levels[i].name = document.levels[i].name;
    document.levels = std::move(chain.levels);
}

// Null where it says less than is measured today, or is of another source: it is then measured anew.
std::shared_ptr<const Deviation> loadEvidence(const Database& database, const std::string& prefix, const Json& json,
                                              const Mesh& level, const Mesh& source) {
    auto d = std::make_shared<Deviation>();
    d->max = json.at("max");
    d->maxBound = json.at("max_bound");
    d->mean = json.at("mean");
    d->meanSigned = json.at("mean_signed");
    d->rms = json.at("rms");
    d->p95 = json.at("p95");
    d->p99 = json.at("p99");
    d->worstPlace = placeFrom(json.at("worst"));
    d->sourceToLevel = oneSidedFrom(json.at("source_to_level"));
    d->levelToSource = oneSidedFrom(json.at("level_to_source"));
    std::vector<float> weights = database.readArray<float>(prefix + "distribution");
    if (!weights.empty()) d->distribution = Distribution(json.at("reach"), std::move(weights));
    d->atLevelVertex = database.readArray<float>(prefix + "deviation");
    if (d->atLevelVertex.size() != level.vertexCount()) database.failDamaged();
    // Older documents know nothing of these.
    if (!json.contains("far_places")) return nullptr;
    for (const std::int16_t step : database.readArray<std::int16_t>(prefix + "source_deviation"))
        d->atSourceVertex.push_back(float(step / 32767.0 * d->max));
    if (d->atSourceVertex.size() != source.vertexCount()) return nullptr;
    for (const Json& part : json.at("by_part")) d->byPart.push_back({part.at(0), part.at(1), part.at(2)});
    if (d->byPart.size() != source.parts.size()) return nullptr;
    for (const Json& far : json.at("far_places"))
        d->farPlaces.push_back({placeFrom(far.at(0)), placeFrom(far.at(1)), far.at(2), far.at(3), std::nullopt});
    return d;
}

Json switchingJson(const Document& document) {
    // As it stands in a recipe, which knows all of it already.
    Recipe recipe;
    recipe.plan.emplace();
    recipe.switching = document.switching;
    recipe.budget = document.budget;
    return Json::parse(recipeJson(recipe));
}

void takeSwitching(Document& document, const Json& json) {
    const Recipe recipe = recipeFromJson(json.dump());
    document.switching = recipe.switching;
    document.budget = recipe.budget;
}

void takeFacts(Level& level, const Json& json) {
    // Older documents know only the target.
    if (!json.contains("recipe")) {
        level.recipe.target = json.at("target");
        return;
    }
    level.recipe = levelRecipeFromJson(json.at("recipe").get<std::string>());
    level.targetMet = json.at("target_met");
    level.isHandmade = json.at("handmade");
    level.isLocked = json.at("locked");
    level.made = json.at("made");
    if (json.contains("outline_metres"))
        level.outline = {json.at("outline_metres").at(0).get<double>(), json.at("outline_metres").at(1).get<double>()};
}

void saveInto(Database& database, const Document& document, const std::filesystem::path& path,
              const Progress& progress) {
    TextureShelf shelf;
    const bool embedded = document.embedSource || document.sourceFile.empty();
    Json json = {
        {"name", document.name},
        {"path", document.path.string()},
        {"tolerance_metres", document.tolerance},
        {"care",
         {{"protect", formatProtect(document.care.protect)},
          {"guard", guardText(document.care.guard)},
          {"silhouette_weight", document.care.silhouetteWeight},
          {"drop_loose", document.care.dropLoose},
          {"thorough", document.care.isThorough}}},
        {"screen", {{"height_px", document.screen.heightPixels}, {"fov_degrees", document.screen.fieldOfViewDegrees}}},
        {"viewer_metres", document.viewerDistance},
        {"switching", switchingJson(document)},
        {"bake", bakeChoiceJson(document.bake)},
        {"merge", mergeChoiceJson(document.merge)},
        {"levels_embedded", document.embedLevels}};
    Json source = {{"embedded", embedded},
                   {"hash", document.sourceHash},
                   {"notes", document.notes},
                   {"remarks", document.remarks}};
    if (!document.sourceFile.empty()) {
        std::error_code ignored;
        const std::filesystem::path absolute = std::filesystem::absolute(document.sourceFile);
        source["file"] = absolute.string();
        // Document and source are often moved together.
        source["file_from_here"] =
            std::filesystem::relative(absolute, std::filesystem::absolute(path).parent_path(), ignored).string();
    }
    source["metres_per_unit"] = document.source->metresPerUnit;
    source["unit_stated"] = document.source->unitStated;
    source["unit_chosen"] = document.unitIsChosen;
    source["up"] = document.sourceUp == UpAxis::Z ? "z" : "y";
    if (embedded) source["mesh"] = saveMesh(database, shelf, "source/", *document.source, progress.span(0, 0.6));
    json["source"] = source;
    json["levels"] = Json::array();
    const std::vector<bool> stale = staleLevels(document);
    for (std::size_t i = 0; i < document.levels.size(); ++i) {
        progress.at(0.6 + 0.35 * double(i) / double(document.levels.size()));
        const Level& level = document.levels[i];
        const std::string prefix = "level/" + std::to_string(i) + "/";
        Json one = {{"name", level.name},
                    {"recipe", levelRecipeJson(level.recipe)},
                    {"target_met", level.targetMet},
                    {"handmade", level.isHandmade},
                    {"locked", level.isLocked},
                    {"made", level.made}};
        if (document.embedLevels || !canBeMadeAgain(level) || stale[i] || level.bake) {
            if (level.bake) {
                one["bake"] = bakeFiguresJson(*level.bake);
                for (std::size_t sheet = 0; sheet < level.bake->misses.size(); ++sheet)
                    database.writeBytes(missesName(prefix, sheet), std::as_bytes(std::span(*level.bake->misses[sheet])),
                                        progress.span(1, 1));
            }
            if (level.outline) one["outline_metres"] = {level.outline->max, level.outline->mean};
            one["mesh"] = saveMesh(database, shelf, prefix, *level.mesh, progress.span(0.95, 0.95));
            if (level.evidence)
                one["evidence"] = saveEvidence(database, prefix, *level.evidence, progress.span(0.95, 0.95));
        }
        json["levels"].push_back(one);
    }
    database.writeText("document", json.dump(-1, ' ', false, Json::error_handler_t::replace));
}

std::filesystem::path findSource(const std::filesystem::path& path, const Json& source) {
    const std::filesystem::path absolute = source.at("file").get<std::string>();
    if (std::filesystem::exists(absolute)) return absolute;
    const std::filesystem::path here =
        std::filesystem::absolute(path).parent_path() / source.value("file_from_here", absolute.filename().string());
    if (std::filesystem::exists(here)) return here.lexically_normal();
    const std::filesystem::path beside = std::filesystem::absolute(path).parent_path() / absolute.filename();
    if (std::filesystem::exists(beside)) return beside;
    throw SourceMissing("The source of " + path.string() + " is missing: put " + absolute.filename().string() +
                            " beside the document, or back to " + absolute.parent_path().string() + ".",
                        absolute.filename().string());
}

void loadSource(Document& document, const Database& database, TextureShelf& shelf, const Json& source,
                const std::filesystem::path& path, const std::filesystem::path& found, const Progress& progress) {
    document.sourceHash = source.at("hash");
    document.notes = source.at("notes").get<std::vector<std::string>>();
    document.remarks = source.value("remarks", std::vector<std::string>());
    document.embedSource = source.at("embedded");
    document.unitIsChosen = source.value("unit_chosen", false);
    document.sourceUp = source.value("up", "y") == "z" ? UpAxis::Z : UpAxis::Y;
    if (source.contains("file")) document.sourceFile = source.at("file").get<std::string>();
    if (document.embedSource) {
        document.source = loadMesh(database, shelf, "source/", source.at("mesh"), path.string());
        return;
    }
    document.sourceFile = found.empty() ? findSource(path, source) : std::filesystem::absolute(found);
    MeshFile file = readMesh(document.sourceFile, progress.span(0, 0.8));
    file.mesh.metresPerUnit = source.at("metres_per_unit");
    file.mesh.unitStated = source.at("unit_stated");
    if (document.sourceUp == UpAxis::Z) standUpAlongY(file.mesh);
    document.source = std::make_shared<const Mesh>(std::move(file.mesh));
    document.sourceCompanions = std::move(file.companions);
    const std::string hash = hashMeshFile(document.sourceFile, document.sourceCompanions, progress.span(0.8, 1));
    if (hash == document.sourceHash) return;
    document.notes = file.notes;
    document.remarks = file.remarks;
    document.notes.push_back(
        document.sourceFile.filename().string() +
        " has changed since the document was saved: its levels were made and measured from the older one.");
    document.sourceHash = hash;
}

}  // namespace

void saveDocument(const Document& document, const std::filesystem::path& path, const Progress& progress) {
    writeWholeByName(path, [&](const std::filesystem::path& aside) {
        std::filesystem::remove(aside);
        Database database(aside, path.string(), Database::Mode::Create);
        saveInto(database, document, path, progress);
        database.finish();
        progress.at(1);
    });
}

Document openDocument(const std::filesystem::path& path, const Progress& progress,
                      const std::filesystem::path& source) {
    { const MappedFile exists(path); }
    const Database database(path, path.string(), Database::Mode::Read);
    Document document;
    TextureShelf shelf;
    try {
        const Json json = Json::parse(database.readText("document"));
        document.name = json.at("name");
        document.path = json.at("path").get<std::string>();
        document.tolerance = json.at("tolerance_metres");
        if (json.contains("care")) document.care = careFrom(json.at("care"));
        document.screen.heightPixels = json.at("screen").at("height_px");
        document.screen.fieldOfViewDegrees = json.at("screen").at("fov_degrees");
        document.viewerDistance = json.at("viewer_metres");
        if (json.contains("bake")) document.bake = bakeChoiceFromJson(json.at("bake").get<std::string>());
        if (json.contains("merge")) document.merge = mergeChoiceFromJson(json.at("merge").get<std::string>());
        if (json.contains("switching")) takeSwitching(document, json.at("switching"));
        document.embedLevels = json.value("levels_embedded", true);
        const double loaded = document.embedLevels ? 0.7 : 0.1;
        loadSource(document, database, shelf, json.at("source"), path, source, progress.span(0, loaded));
        const Json& levels = json.at("levels");
        for (std::size_t i = 0; i < levels.size(); ++i) {
            progress.at(loaded + 0.3 * (1 - loaded) * double(i) / double(levels.size()));
            const std::string prefix = "level/" + std::to_string(i) + "/";
            Level level;
            level.name = levels[i].at("name");
            takeFacts(level, levels[i]);
            if (document.embedLevels || levels[i].contains("mesh"))
                level.mesh = loadMesh(database, shelf, prefix, levels[i].at("mesh"), path.string() + ", " + level.name);
            if (levels[i].contains("bake")) {
                level.bake = bakeFiguresFromJson(levels[i].at("bake").get<std::string>());
                for (std::size_t sheet = 0;; ++sheet) {
                    const std::vector<char> misses = database.readArray<char>(missesName(prefix, sheet));
                    if (misses.empty()) break;
                    level.bake->misses.push_back(std::make_shared<const std::string>(misses.begin(), misses.end()));
                }
            }
            if (levels[i].contains("evidence"))
                level.evidence =
                    loadEvidence(database, prefix, levels[i].at("evidence"), *level.mesh, *document.source);
            document.levels.push_back(std::move(level));
        }
    } catch (const Json::exception&) {
        database.failDamaged();
    } catch (const MeshError& error) {
        throw FileError(error.what());
    } catch (const InputError&) {
        database.failDamaged();
    }
    makeMissingLevels(document, progress.span(0.4, 1));
    progress.at(1);
    return document;
}

std::string sourceMark(const Document& document) {
    return document.sourceHash + (document.sourceUp == UpAxis::Z ? "|z" : "");
}

Document documentFromMesh(const std::filesystem::path& path, const Progress& progress) {
    Document document;
    MeshFile file = readMesh(path, progress.span(0, 0.9));
    document.name = path.stem().string();
    document.sourceFile = std::filesystem::absolute(path);
    document.sourceCompanions = std::move(file.companions);
    document.sourceHash = hashMeshFile(path, document.sourceCompanions, progress.span(0.9, 1));
    document.notes = std::move(file.notes);
    document.remarks = std::move(file.remarks);
    document.source = std::make_shared<const Mesh>(std::move(file.mesh));
    return document;
}

}  // namespace um
