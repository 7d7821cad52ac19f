#include "document/Edits.h"

#include "base/File.h"
#include "files/MeshFile.h"

#include <algorithm>

namespace um {
namespace {

void forgetMeasured(Level& level) {
    level.evidence.reset();
    level.outline.reset();
}

std::string freeName(const Document& document) {
    const auto isTaken = [&](const std::string& name) {
        return std::any_of(document.levels.begin(), document.levels.end(),
                           [&](const Level& other) { return other.name == name; });
    };
    std::size_t number = document.levels.size();
    std::string name;
    do name = "LOD " + std::to_string(number++);
    while (isTaken(name));
    return name;
}

// Where each level comes in, in metres.
std::vector<double> comesIn(const Document& document) {
    std::vector<LevelCost> costs;
    for (const Level& level : document.levels) costs.push_back(costOf(level));
    return bandOf(costs, {}, document.screen, document.switching).from;
}

// As it stands if `up` points up in its file, and the other axis did so far.
std::shared_ptr<const Mesh> turnedMesh(const std::shared_ptr<const Mesh>& mesh, UpAxis up) {
    auto result = std::make_shared<Mesh>(*mesh);
    if (up == UpAxis::Z)
        standUpAlongY(*result);
    else
        standUpAlongZ(*result);
    return result;
}

void putInPlace(Document& document, std::shared_ptr<const Mesh> source) {
    document.source = std::move(source);
    document.care.guard = guardFitting(std::move(document.care.guard), *document.source);
    for (Level& level : document.levels) {
        forgetMeasured(level);
        if (level.bake) level.bake->look = {};
    }
}

Level* levelWith(Document& document, const std::shared_ptr<const Mesh>& mesh) {
    const auto level = std::find_if(document.levels.begin(), document.levels.end(),
                                    [&](const Level& one) { return one.mesh == mesh; });
    return level == document.levels.end() ? nullptr : &*level;
}

}  // namespace

Document withSource(Document document, std::shared_ptr<const Mesh> mesh) {
    putInPlace(document, std::move(mesh));
    document.sourceFile.clear();
    document.sourceCompanions.clear();
    document.sourceHash = hashBytes(
        {std::as_bytes(std::span(document.source->positions)), std::as_bytes(std::span(document.source->triangles))});
    document.embedSource = true;
    return document;
}

Document withSourceOf(Document document, const Document& read) {
    const bool isSameFile = document.sourceFile == read.sourceFile;
    std::shared_ptr<const Mesh> mesh = read.source;
    const bool isInUnit =
        mesh->metresPerUnit == document.source->metresPerUnit && mesh->unitStated == document.source->unitStated;
    const bool staysAsDecided = (isSameFile || !mesh->unitStated) && !isInUnit;
    document.unitIsChosen = read.unitIsChosen || (document.unitIsChosen && staysAsDecided);
    if (staysAsDecided) {
        auto asDecided = std::make_shared<Mesh>(*mesh);
        asDecided->metresPerUnit = document.source->metresPerUnit;
        asDecided->unitStated = document.source->unitStated;
        mesh = std::move(asDecided);
    }
    if (!isSameFile && saysWhatIsUp(read.sourceFile)) document.sourceUp = UpAxis::Y;
    if (document.sourceUp != read.sourceUp) mesh = turnedMesh(mesh, document.sourceUp);
    const auto inItsUnit = [&](std::shared_ptr<const Mesh>& level) {
        if (level->metresPerUnit == mesh->metresPerUnit) return;
        auto converted = std::make_shared<Mesh>(*level);
        convertUnit(*converted, mesh->metresPerUnit);
        level = std::move(converted);
    };
    for (Level& level : document.levels) {
        inItsUnit(level.mesh);
        if (level.bake && level.bake->bare) inItsUnit(level.bake->bare);
    }
    putInPlace(document, std::move(mesh));
    document.sourceFile = read.sourceFile;
    document.sourceHash = read.sourceHash;
    document.sourceCompanions = read.sourceCompanions;
    document.notes = read.notes;
    document.remarks = read.remarks;
    return document;
}

Document withUnit(Document document, double metresPerUnit) {
    const auto inUnit = [&](const std::shared_ptr<const Mesh>& mesh) {
        auto changed = std::make_shared<Mesh>(*mesh);
        changed->metresPerUnit = metresPerUnit;
        changed->unitStated = true;
        return changed;
    };
    document.unitIsChosen = true;
    document.source = inUnit(document.source);
    for (Level& level : document.levels) {
        level.mesh = inUnit(level.mesh);
        if (level.bake && level.bake->bare) level.bake->bare = inUnit(level.bake->bare);
    }
    return document;
}

Document withUp(Document document, UpAxis up) {
    if (up == document.sourceUp) return document;
    document.sourceUp = up;
    putInPlace(document, turnedMesh(document.source, up));
    for (Level& level : document.levels) {
        level.mesh = turnedMesh(level.mesh, up);
        if (level.bake && level.bake->bare) level.bake->bare = turnedMesh(level.bake->bare, up);
    }
    for (CagePush& push : document.bake.pushes) push.centre = turned(push.centre, up == UpAxis::Y);
    return document;
}

Document withPartGuard(Document document, const std::string& part, GuardValue value) {
    std::vector<PartGuard>& parts = document.care.guard.parts;
    std::erase_if(parts, [&](const PartGuard& guard) { return guard.part == part; });
    if (value != 0) parts.push_back({part, value});
    return document;
}

Document withLevel(Document document, Level level) {
    level.name = freeName(document);
    document.levels.push_back(std::move(level));
    return document;
}

Document withRenamedLevel(Document document, std::size_t level, const std::string& name) {
    if (!name.empty() && level < document.levels.size()) document.levels[level].name = name;
    return document;
}

Document withoutLevel(Document document, std::size_t level) {
    if (level < document.levels.size()) document.levels.erase(document.levels.begin() + long(level));
    return document;
}

std::optional<Document> withMeshReplaced(Document document, const std::shared_ptr<const Mesh>& old,
                                         std::shared_ptr<const Mesh> mesh) {
    const bool isSource = document.source == old;
    bool isThere = isSource;
    if (isSource) document = withSource(std::move(document), mesh);
    for (Level& level : document.levels) {
        if (level.mesh != old) continue;
        level.mesh = mesh;
        forgetMeasured(level);
        // Baked again, it is to come from this one.
        if (level.bake) level.bake->bare.reset();
        isThere = true;
    }
    if (!isThere) return std::nullopt;
    return document;
}

Document withMovedLevel(Document document, std::size_t from, std::size_t to) {
    std::vector<Level>& levels = document.levels;
    if (from >= levels.size() || to >= levels.size()) return document;
    if (from < to)
        std::rotate(levels.begin() + long(from), levels.begin() + long(from) + 1, levels.begin() + long(to) + 1);
    else
        std::rotate(levels.begin() + long(to), levels.begin() + long(from), levels.begin() + long(from) + 1);
    return document;
}

Document withLevelRecipe(Document document, std::size_t level, const LevelRecipe& recipe) {
    if (level < document.levels.size()) document.levels[level].recipe = recipe;
    return document;
}

Document withLevelLocked(Document document, std::size_t level, bool locked) {
    if (level < document.levels.size()) document.levels[level].isLocked = locked;
    return document;
}

Document withHandmadeLevel(Document document, std::size_t level, std::shared_ptr<const Mesh> mesh) {
    const bool isNew = level >= document.levels.size();
    if (isNew) {
        document = withLevel(std::move(document), {});
        level = document.levels.size() - 1;
    }
    Level& one = document.levels[level];
    one.mesh = std::move(mesh);
    one.recipe.target = std::to_string(one.mesh->triangleCount());
    one.isHandmade = true;
    one.targetMet = true;
    one.bake.reset();
    one.made.clear();
    forgetMeasured(one);
    return document;
}

std::optional<Document> withBakedLevel(Document document, const std::shared_ptr<const Mesh>& old,
                                       std::shared_ptr<const Mesh> baked, const BakeFigures& figures) {
    Level* level = levelWith(document, old);
    if (level == nullptr) return std::nullopt;
    const auto number = std::size_t(level - document.levels.data());
    const bool isStale = staleLevels(document)[number];
    level->mesh = std::move(baked);
    level->bake = figures;
    // Made anew, it is baked again.
    level->recipe.materials = MaterialKeeping::Baked;
    if (canBeMadeAgain(*level) && !isStale) level->made = howMade(document, number, comesIn(document)[number]);
    return document;
}

std::optional<Document> withMergedLevel(Document document, const std::shared_ptr<const Mesh>& old,
                                        std::shared_ptr<const Mesh> merged) {
    Level* level = levelWith(document, old);
    if (level == nullptr) return std::nullopt;
    level->mesh = std::move(merged);
    level->bake.reset();
    level->isLocked = true;
    return document;
}

Document withChain(Document document, std::vector<Level> levels) {
    document.levels = std::move(levels);
    return document;
}

Document withRemadeLevels(Document document, const std::vector<Level>& before, const std::vector<Level>& made) {
    for (std::size_t i = 0; i < before.size(); ++i)
        for (Level& level : document.levels) {
            if (level.mesh != before[i].mesh || level.isHandmade || level.isLocked) continue;
            level.mesh = made[i].mesh;
            level.evidence = made[i].evidence;
            level.outline = made[i].outline;
            level.targetMet = made[i].targetMet;
            level.made = made[i].made;
            level.bake = made[i].bake;
        }
    return document;
}

Document withSwitchDistance(Document document, std::size_t level, double metres, const Band& band) {
    if (level == 0 || level >= document.levels.size() || level >= band.from.size()) return document;
    if (metres > 0) {
        const double after = level + 1 < band.from.size() ? band.from[level + 1] : band.gone;
        metres = std::clamp(metres, band.from[level - 1], std::max(band.from[level - 1], after));
        // What would be pushed along by this one stays where it is seen now.
        for (std::size_t i = level + 1; i < document.levels.size(); ++i)
            if (document.levels[i].recipe.switchDistance == 0 && band.from[i] == band.from[level])
                document.levels[i].recipe.switchDistance = band.from[i];
    }
    document.levels[level].recipe.switchDistance = metres;
    return document;
}

Recipe recipeOf(const Document& document) {
    Recipe recipe;
    for (const Level& level : document.levels) recipe.levels.push_back(level.recipe);
    recipe.screen = document.screen;
    recipe.switching = document.switching;
    recipe.care = document.care;
    recipe.budget = document.budget;
    recipe.bake = document.bake;
    return recipe;
}

Document withSettingsOf(Document document, const Recipe& recipe) {
    document.screen = recipe.screen;
    document.switching = recipe.switching;
    document.budget = recipe.budget;
    const Guard guard = document.care.guard;
    document.care = recipe.care;
    // Places that were painted are of this source, and stay.
    document.care.guard.vertices = guard.vertices;
    const BakeChoice bake = document.bake;
    document.bake = recipe.bake;
    document.bake.pushes = bake.pushes;
    document.bake.also = bake.also;
    return document;
}

std::string howMade(const Document& document, std::size_t level, double comesIn) {
    return howMade({*document.source, sourceMark(document)}, document.care, document.screen, document.bake,
                   document.levels[level].recipe, level > 0 ? document.levels[level - 1].made : std::string(), comesIn);
}

bool canBeMadeAgain(const Level& level) {
    return !level.isHandmade && !level.isLocked && !level.made.empty();
}

std::vector<bool> staleLevels(const Document& document) {
    const std::vector<double> from = comesIn(document);
    std::vector<bool> stale;
    for (std::size_t i = 0; i < document.levels.size(); ++i) {
        const Level& level = document.levels[i];
        stale.push_back(canBeMadeAgain(level) && level.made != howMade(document, i, from[i]));
    }
    return stale;
}

}  // namespace um
