#include "base/Error.h"
#include "base/File.h"
#include "base/Units.h"
#include "chain/Delivery.h"
#include "chain/ReduceLargeFile.h"
#include "cli/Commands.h"
#include "cli/Console.h"

#include <algorithm>
#include <condition_variable>
#include <map>
#include <memory>
#include <mutex>
#include <optional>
#include <thread>

namespace um::cli {
namespace {

struct ChainOptions {
    std::vector<std::string> paths;  // of the sources, and last the folder
    std::string json, unit, recipe, saveRecipe, first, packing = "none", pivot = "kept", up, sourceUp = "y", writeUnit;
    DeliverySettings delivery;
    std::vector<std::string> targets;
    std::size_t levels = 0;
    double ratio = 0.3;
    std::optional<std::string> screen, protect, dropLoose, materials, budget, nearest, total;
    std::optional<double> pixels, silhouetteWeight, floor, hysteresis, crossFade, gone, step;
    std::optional<int> mostLevels, sheet;
    bool isThorough = false, plan = false, fitTextures = false, again = false, noDrawOrder = false;
    unsigned jobs = 0;
};

void namePlan(Recipe& recipe, const ChainOptions& options) {
    const bool any = options.plan || options.nearest || options.total || options.step || options.mostLevels;
    if (!any) return;
    if (!recipe.plan) recipe.plan.emplace();
    recipe.levels.clear();
    if (options.mostLevels) recipe.plan->mostLevels = *options.mostLevels;
    if (options.step) recipe.plan->step = *options.step;
    if (options.total) recipe.plan->totalTriangles = parseCount(*options.total);
    if (options.nearest) recipe.plan->nearest = parseLength(*options.nearest).inMeshUnits(1);
}

void nameLevels(Recipe& recipe, const ChainOptions& options) {
    const bool byRatio = options.levels > 0 || !options.first.empty();
    if (byRatio && (options.levels == 0 || options.first.empty()))
        throw InputError(
            "Levels by a ratio need both: how many (--levels 4), and the first one's target (--first 120k).");
    if (byRatio && !options.targets.empty())
        throw InputError("Give either --targets, or --levels and --first: both say which levels there are.");
    if (!byRatio && options.targets.empty()) return;
    recipe.plan.reset();
    if (byRatio) recipe.levels = levelsByRatio(options.first, options.ratio, options.levels);
    if (!options.targets.empty()) {
        recipe.levels.clear();
        for (const std::string& target : options.targets) {
            LevelRecipe level;
            level.target = target;
            recipe.levels.push_back(level);
        }
    }
}

// A recipe from a file, or from what is typed; what is typed besides a file goes before it.
Recipe recipeOf(const ChainOptions& options) {
    Recipe recipe;
    if (!options.recipe.empty()) recipe = readRecipe(options.recipe);
    nameLevels(recipe, options);
    namePlan(recipe, options);
    if (options.screen) recipe.screen = parseScreen(*options.screen);
    if (options.pixels) recipe.switching.allowedPixels = *options.pixels;
    if (options.floor) recipe.switching.floorPixels = *options.floor;
    if (options.hysteresis) recipe.switching.hysteresis = *options.hysteresis;
    if (options.crossFade) recipe.switching.crossFade = *options.crossFade;
    if (options.gone) recipe.switching.gonePixels = *options.gone;
    if (options.protect) recipe.care.protect = parseProtect(*options.protect);
    if (options.silhouetteWeight) recipe.care.silhouetteWeight = *options.silhouetteWeight;
    if (options.isThorough) recipe.care.isThorough = true;
    if (options.dropLoose) recipe.care.dropLoose = *options.dropLoose;
    if (options.budget) recipe.budget = parseBudget(*options.budget);
    // The finest level keeps everything: it is what is looked at.
    if (options.sheet) recipe.bake.sheet = *options.sheet;
    if (options.materials && recipe.plan) recipe.plan->materials = parseMaterialKeeping(*options.materials);
    if (options.materials && parseMaterialKeeping(*options.materials) == MaterialKeeping::Baked &&
        !recipe.levels.empty())
        recipe.levels[0].materials = MaterialKeeping::Baked;
    for (std::size_t i = 1; i < recipe.levels.size(); ++i) {
        if (options.materials) recipe.levels[i].materials = parseMaterialKeeping(*options.materials);
        if (options.fitTextures) recipe.levels[i].fitTextures = true;
    }
    return recipeFromJson(recipeJson(recipe));  // which says what does not fit
}

DeliverySettings deliveryOf(const ChainOptions& options) {
    DeliverySettings settings = options.delivery;
    settings.drawOrder = !options.noDrawOrder;
    settings.packing = parsePacking(options.packing);
    settings.placement.pivot = parsePivot(options.pivot);
    // Levels lie where their source does, unless something else is asked for.
    const UpAxis sourceUp = parseUp(options.sourceUp);
    if (!options.up.empty())
        settings.placement.up = parseUp(options.up);
    else if (!saysWhatIsUp("level." + settings.format))
        settings.placement.up = sourceUp;
    if (!options.writeUnit.empty()) {
        const auto metres = metresPerUnitOf(options.writeUnit);
        if (!metres) throw InputError("\"" + options.writeUnit + "\" is no unit: there are mm, cm, m, in and ft.");
        settings.placement.metresPerUnit = *metres;
    }
    return settings;
}

// By what it is told whether a chain that is there is still what would be made.
std::string madeFrom(const std::string& source, const std::vector<std::filesystem::path>& companions,
                     const Recipe& recipe, const ChainOptions& options) {
    const std::string text = hashMeshFile(source, companions, Progress()) + recipeJson(recipe) + options.unit +
                             options.delivery.format + "|" + options.delivery.pattern + "|" + options.packing + "|" +
                             options.pivot + "|" + options.up + "|" + options.sourceUp + "|" + options.writeUnit + "|" +
                             (options.delivery.oneFile ? "one" : "") + (options.noDrawOrder ? "as is" : "") + "|" +
                             UMESH_VERSION;
    return hashBytes({std::as_bytes(std::span(text))});
}

struct Outcome {
    std::string line;
    Json json;
    int code = done;
};

std::string lineOf(const std::string& source, const Delivery& delivery, const Delivered& delivered,
                   const std::string& folder) {
    const Chain& chain = delivery.chain;
    std::string line = "Made " + countOf(chain.levels.size(), "level", "levels") + " of " + source + " (" +
                       formatCount(delivery.sourceTriangles) + " triangles):";
    for (std::size_t i = 0; i < chain.levels.size(); ++i) {
        const Level& level = chain.levels[i];
        line += (i == 0 ? " " : ", ") + formatCount(level.mesh->triangleCount()) +
                (chain.band.from[i] > 0 ? " from " + formatLength(chain.band.from[i]) : std::string()) +
                (level.targetMet ? "" : " (fewer were asked for)");
    }
    line += " -> " + folder + " (" + formatNumber(delivered.bytes() / 1e6) + " MB";
    if (delivered.plainBytes() > delivered.bytes())
        line += " instead of " + formatNumber(delivered.plainBytes() / 1e6) + " MB";
    return line + ")";
}

Outcome makeOne(const std::string& source, const std::string& folder, const Recipe& recipe, const ChainOptions& options,
                const Progress& progress) {
    Outcome outcome;
    const std::string name = std::filesystem::path(source).stem().string();
    const std::filesystem::path beside = std::filesystem::absolute(source).parent_path();
    std::vector<std::filesystem::path> companions;
    for (const std::string& companion : companionsOfDelivered(folder, name)) companions.push_back(beside / companion);
    if (!options.again && isUpToDate(folder, name, madeFrom(source, companions, recipe, options))) {
        outcome.line = source + " is up to date";
        outcome.json = Json::parse(MappedFile(std::filesystem::path(folder) / manifestName(name)).text());
        for (const Json& line : outcome.json.at("budget"))
            if (line.at("over")) outcome.code = checkMissed;
        for (const Json& level : outcome.json.at("levels"))
            if (!level.at("target_met")) outcome.code = checkMissed;
        return outcome;
    }
    const MeshFile file = readWithNotes(source, options.unit, parseUp(options.sourceUp));
    const std::string made = madeFrom(source, file.companions, recipe, options);
    Delivery delivery{name, file.mesh.triangleCount(), recipe, {}, made, {}};
    for (const std::filesystem::path& companion : file.companions)
        delivery.sourceCompanions.push_back(
            std::filesystem::absolute(companion).lexically_relative(beside).generic_string());
    delivery.chain = makeChain({file.mesh, made}, recipe, {}, progress.span(0, 0.9));
    const Delivered delivered = deliver(delivery, folder, deliveryOf(options), progress.span(0.9, 1));
    outcome.line = lineOf(source, delivery, delivered, folder);
    for (const std::string& sentence : delivery.chain.notes) outcome.line += "\n  " + sentence;
    for (const std::string& sentence : delivery.chain.advice) outcome.line += "\n  " + sentence;
    for (const BudgetLine& line : holdAgainst(recipe.budget, delivery.chain.levels, delivered.bytes()))
        if (line.isOver()) {
            outcome.line += "\n  Over budget: " + sentenceOf(line);
            outcome.code = checkMissed;
        }
    for (const Level& level : delivery.chain.levels)
        if (!level.targetMet) outcome.code = checkMissed;
    outcome.json = Json::parse(delivered.manifestText);
    return outcome;
}

// Lets as many work at once as memory allows; one always may.
class MemoryGate {
public:
    explicit MemoryGate(double bytes) : m_free(bytes) {}

    void enter(double bytes) {
        std::unique_lock lock(m_mutex);
        m_changed.wait(lock, [&] { return m_inside == 0 || bytes <= m_free; });
        ++m_inside;
        m_free -= bytes;
    }
    void leave(double bytes) {
        {
            const std::lock_guard lock(m_mutex);
            --m_inside;
            m_free += bytes;
        }
        m_changed.notify_all();
    }

private:
    std::mutex m_mutex;
    std::condition_variable m_changed;
    double m_free;
    int m_inside = 0;
};

// A dense mesh takes about ten times its file while a chain is made of it.
double memoryFor(const std::string& source) {
    std::error_code problem;
    const auto size = std::filesystem::file_size(source, problem);
    return problem ? 0 : 10.0 * double(size) + 5e7;
}

int makeMany(const std::vector<std::string>& sources, const std::string& folder, const Recipe& recipe,
             const ChainOptions& options, const Answer& answer) {
    std::vector<Outcome> outcomes(sources.size());
    std::vector<std::string> errors(sources.size());
    MemoryGate gate{double(memoryToSpare())};
    std::mutex saying;
    std::atomic<std::size_t> next = 0, finished = 0;
    const TerminalProgress terminal("Making " + std::to_string(sources.size()) + " chains");
    const auto work = [&] {
        for (std::size_t i = next++; i < sources.size(); i = next++) {
            if (terminal.progress().cancelled()) return;
            const double memory = memoryFor(sources[i]);
            gate.enter(memory);
            try {
                const double at = double(finished) / double(sources.size());
                outcomes[i] = makeOne(sources[i], folder, recipe, options, terminal.progress().span(at, at));
            } catch (const Cancelled&) {
                errors[i] = "stopped";
            } catch (const std::bad_alloc&) {
                errors[i] = sources[i] + ": there is not enough memory; close other programs, or use --jobs 1.";
            } catch (const std::exception& error) {
                errors[i] = error.what();
            }
            gate.leave(memory);
            ++finished;
            const std::lock_guard lock(saying);
            answer.line(errors[i].empty() ? outcomes[i].line : "Failed: " + sources[i] + ": " + errors[i]);
        }
    };
    std::vector<std::thread> workers;
    const unsigned count = options.jobs > 0 ? options.jobs : std::max(1u, std::thread::hardware_concurrency() / 2);
    for (unsigned i = 1; i < count; ++i) workers.emplace_back(work);
    work();
    for (std::thread& worker : workers) worker.join();
    terminal.progress().check();
    Json list = Json::array();
    int code = done;
    std::size_t failures = 0;
    for (std::size_t i = 0; i < sources.size(); ++i) {
        if (errors[i].empty()) {
            list.push_back({{"source", sources[i]}, {"manifest", outcomes[i].json}});
            code = std::max(code, outcomes[i].code);
        } else {
            list.push_back({{"source", sources[i]}, {"error", errors[i]}});
            ++failures;
        }
    }
    answer.json({{"chains", list}});
    if (failures == 0) return code;
    answer.line(countOf(failures, "source", "sources") + " of " + std::to_string(sources.size()) +
                " failed; mend what is said above and run it again: what is up to date is skipped.");
    return failed;
}

int run(const ChainOptions& options) {
    const Answer answer(options.json);
    const Recipe recipe = recipeOf(options);
    deliveryOf(options);
    if (options.paths.size() < 2) throw InputError("Name the sources, and last the folder that the chains go into.");
    const std::vector<std::string> sources(options.paths.begin(), options.paths.end() - 1);
    const std::string& folder = options.paths.back();
    if (std::filesystem::exists(folder) && !std::filesystem::is_directory(folder))
        throw InputError(folder + " is a file; name the folder that the chains go into last.");
    // What is wrong with names is known before anything is computed.
    Delivery names{"name", 0, recipe, {}, {}, {}};
    names.chain.levels.resize(recipe.plan ? std::size_t(recipe.plan->mostLevels) : recipe.levels.size());
    for (std::size_t i = 0; i < names.chain.levels.size(); ++i) names.chain.levels[i].name = "LOD " + std::to_string(i);
    deliveryNames(names, deliveryOf(options));
    std::map<std::string, std::string> stems;
    for (const std::string& source : sources) {
        const auto [known, isNew] = stems.try_emplace(std::filesystem::path(source).stem().string(), source);
        if (!isNew)
            throw InputError(known->second + " and " + source + " would have the same names; give them folders apart.");
    }
    if (sources.size() > 1 && !options.delivery.oneFile && options.delivery.pattern.find("{name}") == std::string::npos)
        throw InputError("The sources would be written over one another: put {name} into the pattern.");
    if (!options.saveRecipe.empty()) writeRecipe(recipe, options.saveRecipe);
    if (sources.size() > 1) return makeMany(sources, folder, recipe, options, answer);
    const Outcome outcome = [&] {
        const TerminalProgress terminal("Making the chain");
        return makeOne(sources.front(), folder, recipe, options, terminal.progress());
    }();
    answer.line(outcome.line);
    answer.json(outcome.json);
    return outcome.code;
}

}  // namespace

void addChain(CLI::App& app, int& code) {
    CLI::App* command =
        app.add_subcommand("chain", "Makes chains of levels, measured, with the distances to switch at");
    const auto options = std::make_shared<ChainOptions>();
    command->add_option("PATHS", options->paths, "the sources, and last the folder that levels and manifests go into")
        ->required();
    command
        ->add_option("--targets", options->targets, "of the levels, the finest first: 120k,\"30% of before\",1px@24m")
        ->delimiter(',');
    command->add_option("--levels", options->levels, "how many levels, by --first and --ratio");
    command->add_option("--first", options->first, "the first level's target, such as 120k or 10%");
    command->add_option("--ratio", options->ratio, "triangles of a level to those of the one before")
        ->capture_default_str();
    command->add_flag("--plan", options->plan, "find levels by the screen, the allowed pixels and the floor");
    command->add_option("--most-levels", options->mostLevels, "of a plan (default: 5)");
    command->add_option("--step", options->step, "of a plan: the share of the level before that is not exceeded (0.5)");
    command->add_option("--total", options->total, "of a plan: triangles of all levels together");
    command->add_option("--nearest", options->nearest, "of a plan: from where it is seen nearest, such as 2m");
    command->add_option("--recipe", options->recipe, "take levels and settings from this file");
    command->add_option("--save-recipe", options->saveRecipe, "write them to this file, for other sources");
    command->add_option("--screen", options->screen, "the screen it is seen on (default: 1440px,50deg)");
    command->add_option("--pixels", options->pixels, "by how much a level may be off where it comes in (default: 1)");
    command->add_option("--floor", options->floor, "pixels below which a triangle is wasted (default: 4)");
    command->add_option("--hysteresis", options->hysteresis,
                        "share of the distance by which one comes back later (0.1)");
    command->add_option("--cross-fade", options->crossFade, "share of the distance over which levels are dithered (0)");
    command->add_option("--gone", options->gone, "height in pixels below which nothing is drawn (0: always drawn)");
    command->add_option("--protect", options->protect,
                        "borders=hard,seams=on,creases=30deg,materials=off,skin=on: each off, on or hard");
    command->add_option("--silhouette-weight", options->silhouetteWeight,
                        "how much dearer places on the outline are, 0 to 1");
    command->add_flag("--thorough", options->isThorough,
                      "search for the closest level of each count; takes ten to thirty times as long");
    command->add_option("--drop-loose", options->dropLoose,
                        "drop loose pieces smaller than 5mm, 0.2% or 3px@24m first");
    command->add_option("--materials", options->materials,
                        "of all levels but the first: all, \"no fine maps\", \"base colour\", flat or \"one slot\"; of "
                        "all: baked");
    command->add_option("--sheet", options->sheet, "texels on a side of the textures that levels are baked to");
    command->add_flag("--fit-textures", options->fitTextures,
                      "of all levels but the first: textures as large as can be seen where the level comes in");
    command->add_option("--budget", options->budget, "total=180k,level=120k,draws=2,textures=8MB,files=4MB");
    command
        ->add_option("--pattern", options->delivery.pattern,
                     "names of the files: {name}, {level}, {n}; / makes subfolders")
        ->capture_default_str();
    command->add_option("--format", options->delivery.format, "glb, gltf, obj, ply or stl")->capture_default_str();
    command->add_flag("--one-file", options->delivery.oneFile, "all levels in one GLB or glTF (MSFT_lod)");
    command->add_option("--packing", options->packing, "of GLB and glTF: none, quantised or draco")
        ->capture_default_str();
    command->add_flag("--no-draw-order", options->noDrawOrder, "leave triangles in the order they came");
    command->add_option("--pivot", options->pivot, "kept, ground or centre")->capture_default_str();
    command->add_option("--up", options->up,
                        "what points up in what is written: y, or z for formats other than glTF (as in the sources)");
    command->add_option("--source-up", options->sourceUp, "what points up in files that do not say it: y or z")
        ->capture_default_str();
    command->add_option("--write-unit", options->writeUnit, "unit of what is written, for formats other than glTF");
    command->add_option("--unit", options->unit, "the file's unit, where it does not say it: mm, cm, m, in, ft");
    command->add_option("--jobs", options->jobs, "sources worked on at once, as far as memory allows");
    command->add_flag("--again", options->again, "make even what is up to date");
    command->add_option("--json", options->json, "also write the manifest to this file; - is standard output");
    command->callback([options, &code] { code = run(*options); });
}

}  // namespace um::cli
