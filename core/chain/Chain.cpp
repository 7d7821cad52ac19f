#include "chain/Chain.h"

#include "base/Error.h"
#include "base/File.h"
#include "chain/BakeLevel.h"
#include "chain/Plan.h"
#include "chain/PlannedChain.h"
#include "chain/ReduceToTarget.h"

#include <algorithm>
#include <cctype>
#include <cmath>
#include <map>

namespace um {
namespace {

std::span<const std::byte> bytesOf(const std::string& text) {
    return std::as_bytes(std::span(text));
}

GuardValue scaled(GuardValue value, const LevelRecipe& level) {
    return value > 1 ? value : GuardValue(std::clamp(double(value) * level.guardStrength, -1.0, 1.0));
}

// What the chain takes care of, as far as one of its levels does.
Care careOf(const Care& chain, const LevelRecipe& level) {
    Care care = chain;
    if (level.protect) care.protect = *level.protect;
    if (level.guardStrength == 1) return care;
    for (PartGuard& part : care.guard.parts) part.value = scaled(part.value, level);
    const std::span<const GuardValue> painted = care.guard.vertices.values();
    std::vector<GuardValue> values(painted.begin(), painted.end());
    for (GuardValue& value : values) value = scaled(value, level);
    care.guard.vertices = std::move(values);
    return care;
}

// Or a share; else it is what a search has to keep to.
bool asksForCount(const std::string& target) {
    try {
        return targetTriangles(parseTarget(target), 1).has_value();
    } catch (const InputError&) {
        return false;  // of a document that was written by hand
    }
}

void add(std::vector<std::string>& notes, std::vector<std::string> more) {
    for (std::string& sentence : more)
        if (std::find(notes.begin(), notes.end(), sentence) == notes.end()) notes.push_back(std::move(sentence));
}

// What happened to the levels; to several of them the same, once: "LOD 1, LOD 2: dropped 3 loose pieces of Teeth."
std::vector<std::string> toldTogether(const std::vector<Level>& levels, const std::vector<ReduceNotes>& ofLevels,
                                      double metresPerUnit) {
    std::vector<std::string> order;
    std::map<std::string, std::vector<std::string>> names;
    for (std::size_t i = 0; i < levels.size(); ++i)
        for (const std::string& sentence : ofLevels[i].sentences(metresPerUnit)) {
            if (names[sentence].empty()) order.push_back(sentence);
            names[sentence].push_back(levels[i].name);
        }
    std::vector<std::string> told;
    for (std::string sentence : order) {
        const std::vector<std::string>& whose = names[sentence];
        if (whose.size() < levels.size()) {
            std::string begin;
            for (const std::string& name : whose) begin += (begin.empty() ? "" : ", ") + name;
            sentence.front() = char(std::tolower(static_cast<unsigned char>(sentence.front())));
            sentence.insert(0, begin + ": ");
        }
        told.push_back(std::move(sentence));
    }
    return told;
}

// Makes the levels that are not there yet, in their order. Those that are treated alike come out of one reduction.
class Maker {
public:
    Maker(const ChainSource& source, const Recipe& recipe) : m_source(source), m_recipe(recipe) {}

    void plan(const std::vector<const Level*>& ready, const std::vector<std::size_t>& counts) {
        for (std::size_t i = 0; i < m_recipe.levels.size(); ++i)
            if (ready[i] == nullptr && sharesReduction(i)) {
                Shared& shared = m_shared[keyOf(i)];
                shared.lowest = std::min(shared.lowest, counts[i]);
                ++shared.users;
            }
    }

    // @param notes  what concerns the whole chain
    ReduceNotes make(Level& level, std::size_t i, const std::optional<std::size_t> count, const Level* before,
                     std::vector<std::string>& notes, const Progress& progress) {
        const Care care = withKnownParts(careOf(m_recipe.care, level.recipe), m_source.mesh, notes);
        const ReduceSettings settings = settingsFor(care, m_source.mesh, m_recipe.screen);
        Mesh mesh;
        ReduceNotes happened;
        if (level.recipe.fromLevelBefore && before != nullptr) {
            ReduceSettings own = settings;
            own.guard.vertices = {};  // those are of the source
            std::erase_if(own.guard.parts, [&](const PartGuard& guard) { return !hasPart(*before->mesh, guard.part); });
            TargetResult result =
                reduceToTarget(*before->mesh, count ? Target(CountTarget{*count}) : parseTarget(level.recipe.target),
                               m_recipe.screen, own, care.isThorough, progress);
            mesh = std::move(result.mesh);
            level.targetMet = result.targetMet;
            happened = std::move(result.notes);
        } else if (sharesReduction(i)) {
            Shared& shared = m_shared[keyOf(i)];
            if (!shared.reduction || shared.reduction->triangles() < *count)
                shared.reduction.emplace(m_source.mesh, shared.lowest, settings, progress.span(0, 0.3));
            shared.reduction->reduceTo(*count, progress.span(0.3, 0.6));
            const Progress finishing = progress.span(0.6, 1);
            mesh = shared.users > 1 ? shared.reduction->mesh(finishing) : std::move(*shared.reduction).mesh(finishing);
            level.targetMet = mesh.triangleCount() <= *count;
            happened = shared.reduction->notes();
            if (--shared.users == 0) shared.reduction.reset();
        } else {
            TargetResult result =
                reduceToTarget(m_source.mesh, count ? Target(CountTarget{*count}) : parseTarget(level.recipe.target),
                               m_recipe.screen, settings, care.isThorough, progress);
            mesh = std::move(result.mesh);
            level.targetMet = result.targetMet;
            happened = std::move(result.notes);
            if (result.deviation) level.evidence = std::make_shared<const Deviation>(std::move(*result.deviation));
        }
        level.mesh = std::make_shared<const Mesh>(std::move(mesh));
        return happened;
    }

private:
    struct Shared {
        std::optional<Reduction> reduction;
        std::size_t lowest = std::size_t(-1);
        int users = 0;
    };

    // Pieces are dropped until a count is met, which is another one for each level; a search ends with its own, too.
    bool sharesReduction(std::size_t i) const {
        const LevelRecipe& level = m_recipe.levels[i];
        return m_recipe.care.dropLoose.empty() && !m_recipe.care.isThorough && !level.fromLevelBefore &&
               asksForCount(level.target);
    }

    std::pair<std::string, double> keyOf(std::size_t i) const {
        const LevelRecipe& level = m_recipe.levels[i];
        return {formatProtect(level.protect.value_or(m_recipe.care.protect)), level.guardStrength};
    }

    const ChainSource& m_source;
    const Recipe& m_recipe;
    std::map<std::pair<std::string, double>, Shared> m_shared;
};

// The count that each level's target asks for, where it says one.
std::vector<std::optional<std::size_t>> countsOf(const Recipe& recipe, const std::vector<const Level*>& ready,
                                                 std::size_t sourceTriangles) {
    std::vector<std::optional<std::size_t>> counts;
    for (std::size_t i = 0; i < recipe.levels.size(); ++i) {
        const auto before = i > 0 ? counts.back() : std::nullopt;
        counts.push_back(ready[i] != nullptr
                             ? std::optional(ready[i]->mesh->triangleCount())
                             : targetTriangles(parseTarget(recipe.levels[i].target), sourceTriangles, before));
        if (i > 0 && ready[i] == nullptr && ready[i - 1] == nullptr && counts[i] && counts[i - 1] &&
            *counts[i] >= *counts[i - 1])
            throw InputError("Level " + std::to_string(i) + " of the chain (" + recipe.levels[i].target +
                             ") is not coarser than the one before; order the targets from fine to coarse.");
    }
    return counts;
}

void giveMaterials(Level& level, const Mesh& source, double nearest, const Recipe& recipe,
                   std::vector<std::string>& notes, const Progress& progress) {
    if (level.recipe.materials == MaterialKeeping::Baked) {
        add(notes, bakeLevel(level, source, recipe.bake, recipe.screen, nearest, progress.span(0, 0.8)));
        if (level.bake->missed > 0)
            notes.push_back(level.name + ": " + sentenceOnMisses(level.bake->missed, level.bake->covered));
    } else if (level.recipe.materials != MaterialKeeping::All) {
        level.mesh =
            std::make_shared<const Mesh>(withMaterials(*level.mesh, level.recipe.materials, progress.span(0, 0.5)));
    }
    if (level.recipe.fitTextures)
        level.mesh = std::make_shared<const Mesh>(withFittingTextures(
            *level.mesh, recipe.screen.pixels(level.mesh->metresPerUnit, nearest), progress.span(0.8, 1)));
}

ReduceNotes take(Fewest fewest, Level& level) {
    level.mesh = std::make_shared<const Mesh>(std::move(fewest.mesh));
    level.evidence = std::make_shared<const Deviation>(std::move(fewest.deviation));
    return std::move(fewest.notes);
}

}  // namespace

std::string howMade(const ChainSource& source, const Care& care, const Screen& screen, const BakeChoice& bake,
                    const LevelRecipe& recipe, const std::string& levelBefore, double comesIn) {
    // Called at each refresh of the window: painted guards are named by their hash, and not scaled.
    std::string text = source.hash + "|" + formatNumber(source.mesh.metresPerUnit) + "|" + recipe.target + "|" +
                       formatProtect(recipe.protect.value_or(care.protect)) + "|" +
                       formatNumber(care.silhouetteWeight) + "|" + care.dropLoose + "|" + nameOf(recipe.materials) +
                       (care.isThorough && asksForCount(recipe.target) ? "|thorough" : "");
    for (const PartGuard& guard : care.guard.parts)
        text += "|" + guard.part + "=" + formatGuard(scaled(guard.value, recipe));
    if (!care.guard.vertices.empty())
        text += "|painted " + care.guard.vertices.hash() + " at " + formatNumber(recipe.guardStrength);
    if (recipe.materials == MaterialKeeping::Baked) text += "|" + bakeChoiceJson(bake);
    // Only what is typed in pixels depends on the screen.
    if ((recipe.target + care.dropLoose).find("px") != std::string::npos) text += "|" + formatScreen(screen);
    if (recipe.fitTextures)
        text += "|" + formatScreen(screen) + "|fit " + std::to_string(std::lround(std::log2(std::max(1e-9, comesIn))));
    if (recipe.fromLevelBefore || recipe.target.find("of before") != std::string::npos) text += "|" + levelBefore;
    return hashBytes({bytesOf(text)});
}

SourceOutlines outlinesOf(const ContourMesh& source, const Progress& progress) {
    SilhouetteSettings settings;
    settings.views = 26;
    settings.heightPixels = std::min(512.0, mostHeightPixels(source.mesh(), source.mesh()));
    return SourceOutlines(source, settings, progress);
}

OutlineError measureOutlineError(const SourceOutlines& source, const Mesh& level, const Progress& progress) {
    const Mesh& mesh = source.source().mesh();
    SilhouetteSettings settings = source.settings();
    const double most = mostHeightPixels(mesh, level);
    // A level that reaches far beyond its source may need smaller pictures.
    const bool fits = settings.heightPixels <= most;
    if (!fits) settings.heightPixels = most;
    const ContourMesh contour(level);
    const Silhouette silhouette = fits ? measureSilhouette(source, contour, progress)
                                       : measureSilhouette(source.source(), contour, settings, progress);
    const double metresPerPixel = standingHeight(mesh) * mesh.metresPerUnit / settings.heightPixels;
    return {silhouette.max * metresPerPixel, silhouette.mean * metresPerPixel};
}

Chain makeChain(const ChainSource& source, const Recipe& asked, const std::vector<const Level*>& ready,
                const Progress& progress) {
    requireSensible(asked);
    requireSurface(source.mesh, "The mesh");
    Chain chain;
    chain.size = sizeOf(source.mesh, progress.span(0, 0.02));
    const double begin = asked.plan ? 0.6 : 0.02;
    PlannedChain plan = asked.plan ? planChain(source.mesh, asked, chain.size, progress.span(0.02, begin))
                                   : PlannedChain{asked, std::nullopt, {}, nullptr, {}};
    const Recipe& recipe = plan.recipe;
    chain.advice = std::move(plan.advice);
    std::vector<const Level*> kept = ready;
    kept.resize(recipe.levels.size(), nullptr);
    const auto counts = countsOf(recipe, kept, source.mesh.triangleCount());
    Maker maker(source, recipe);
    std::vector<std::size_t> plain;
    for (const auto& count : counts) plain.push_back(count.value_or(0));
    maker.plan(kept, plain);

    const double toDo = double(std::max<std::ptrdiff_t>(1, std::count(kept.begin(), kept.end(), nullptr)));
    const double share = (1 - begin) / toDo;
    double at = begin;
    std::optional<DeviationSource> prepared;
    std::optional<ContourMesh> contour;
    std::optional<SourceOutlines> outlines;
    std::vector<LevelCost> costs;
    std::vector<ReduceNotes> happened(recipe.levels.size());
    std::string madeBefore;
    for (std::size_t i = 0; i < recipe.levels.size(); ++i) {
        Level level;
        if (kept[i] != nullptr) {
            level = *kept[i];
        } else {
            level.name = "LOD " + std::to_string(i);
            level.recipe = recipe.levels[i];
            // The total of a plan may leave no room for the level that its distance needs. Then the planned count is
            // made.
            std::optional<Fewest> found;
            if (i == 0)
                found = std::move(plan.first);
            else if (plan.finder)
                found = fewestFrom(plan.from[i], *plan.finder, source.mesh.metresPerUnit, recipe,
                                   roomFor(chain.levels, plain, asked.plan->totalTriangles),
                                   progress.span(at, at + 0.3 * share));
            if (found) {
                if (i > 0) level.recipe.target = pixelTarget(recipe.switching.allowedPixels, plan.from[i]);
                happened[i] = take(*std::move(found), level);
            } else {
                happened[i] = maker.make(level, i, counts[i], i > 0 ? &chain.levels[i - 1] : nullptr, chain.notes,
                                         progress.span(at + (plan.finder ? 0.3 : 0) * share, at + 0.5 * share));
            }
            if (i > 0 && kept[i - 1] == nullptr &&
                level.mesh->triangleCount() > chain.levels[i - 1].mesh->triangleCount())
                throw InputError("Level " + std::to_string(i) + " of the chain (" + level.recipe.target +
                                 ") came out finer than the one before; order the targets from fine to coarse.");
        }
        if (!level.evidence) {
            if (!prepared) prepared.emplace(source.mesh, progress.span(at, at));
            level.evidence = std::make_shared<const Deviation>(
                measureDeviation(*prepared, *level.mesh, {}, progress.span(at + 0.5 * share, at + 0.6 * share)));
        }
        if (!level.outline) {
            if (!outlines) outlines.emplace(outlinesOf(contour.emplace(source.mesh), progress.span(at, at)));
            level.outline = measureOutlineError(*outlines, *level.mesh, progress.span(at, at));
        }
        costs.push_back(costOf(level));
        chain.band = bandOf(costs, chain.size, recipe.screen, recipe.switching);
        if (kept[i] == nullptr) {
            level.made =
                howMade(source, recipe.care, recipe.screen, recipe.bake, level.recipe, madeBefore, chain.band.from[i]);
            const double nearest = std::max(chain.band.from[i], chain.size.nearest(recipe.screen));
            giveMaterials(level, source.mesh, nearest, recipe, chain.notes,
                          progress.span(at + 0.9 * share, at + share));
            at = std::min(1.0, at + share);
        }
        madeBefore = level.made;
        chain.levels.push_back(std::move(level));
    }
    add(chain.notes, toldTogether(chain.levels, happened, source.mesh.metresPerUnit));
    std::vector<std::string> names;
    std::vector<std::size_t> triangles;
    for (const Level& level : chain.levels) {
        names.push_back(level.name);
        triangles.push_back(level.mesh->triangleCount());
    }
    add(chain.advice, adviceOn(names, triangles, costs, chain.band, chain.size, source.mesh.triangleCount(),
                               recipe.screen, recipe.switching));
    progress.at(1);
    return chain;
}

}  // namespace um
