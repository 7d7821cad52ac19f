#include "chain/Chain.h"
#include "base/Error.h"
#include "base/File.h"
#include "base/Units.h"
#include "cli/Commands.h"
#include "cli/Console.h"
#include "files/Gltf.h"
#include "files/NamePattern.h"

#include <memory>
#include <optional>

namespace um::cli {
namespace {

struct Options {
    std::string in, folder, json, unit, recipe, saveRecipe, first;
    std::string pattern = "{name}_lod{n}", format = "glb";
    std::vector<std::string> targets;
    std::size_t levels = 0;
    double ratio = 0.3;
    std::optional<std::string> screen, protect, dropLoose;
    std::optional<double> pixels, silhouetteWeight;
    bool oneFile = false;
};

// A recipe from a file, or from what is typed; what is typed besides a file goes before it.
Recipe recipeOf(const Options& options) {
    Recipe recipe;
    if (!options.recipe.empty()) {
        const MappedFile file(options.recipe);
        recipe = recipeFromJson(std::string(file.text()));
    }
    const bool byRatio = options.levels > 0 || !options.first.empty();
    if (byRatio && (options.levels == 0 || options.first.empty()))
        throw InputError(
            "Levels by a ratio need both: how many (--levels 4), and the first one's target (--first 120k).");
    if (byRatio && !options.targets.empty())
        throw InputError("Give either --targets, or --levels and --first: both say which levels there are.");
    if (byRatio) recipe.targets = targetsByRatio(options.first, options.ratio, options.levels);
    if (!options.targets.empty()) recipe.targets = options.targets;
    if (options.screen) recipe.screen = parseScreen(*options.screen);
    if (options.pixels) recipe.allowedPixels = *options.pixels;
    if (options.protect) recipe.protect = parseProtect(*options.protect);
    if (options.silhouetteWeight) recipe.silhouetteWeight = *options.silhouetteWeight;
    if (options.dropLoose) recipe.dropLoose = *options.dropLoose;
    return recipeFromJson(recipeJson(recipe));  // which says what does not fit
}

std::filesystem::path inFolder(const Options& options, const std::filesystem::path& file) {
    const std::filesystem::path path = std::filesystem::path(options.folder) / file;
    std::error_code problem;
    std::filesystem::create_directories(path.parent_path(), problem);
    if (problem)
        throw FileError("The folder " + path.parent_path().string() + " cannot be made (" + problem.message() +
                        "); choose another one.");
    return path;
}

// Where the last level ends: once its whole is under a pixel, nothing of it is to be seen.
std::vector<double> coverages(const Chain& chain, const Recipe& recipe) {
    std::vector<double> sizes;
    for (std::size_t i = 1; i < chain.levels.size(); ++i) sizes.push_back(chain.levels[i].screenSize);
    sizes.push_back(1.0 / recipe.screen.heightPixels);
    return sizes;
}

int run(const Options& options) {
    const Answer answer(options.json);
    const Recipe recipe = recipeOf(options);
    const std::string name = std::filesystem::path(options.in).stem().string();
    const MeshFormat format = formatOfExtension("level." + options.format);
    const bool isGltf = format == MeshFormat::Glb || format == MeshFormat::Gltf;
    if (options.oneFile && !isGltf)
        throw InputError("Only GLB and glTF hold several levels in one file; leave --one-file out for others.");
    std::vector<std::filesystem::path> files;
    for (std::size_t i = 0; i < recipe.targets.size(); ++i)
        files.push_back(options.oneFile
                            ? name + "." + options.format
                            : fillPattern(options.pattern, name, "LOD " + std::to_string(i), i) + "." + options.format);
    for (std::size_t i = 1; i < files.size() && !options.oneFile; ++i)
        if (std::find(files.begin(), files.begin() + long(i), files[i]) != files.begin() + long(i))
            throw InputError("Several levels would go into " + files[i].string() + "; put {n} into the pattern.");
    const MeshFile source = readWithNotes(options.in, options.unit);
    const Chain chain = [&] {
        const TerminalProgress terminal("Making the chain");
        return makeChain(source.mesh, recipe, terminal.progress());
    }();
    const TerminalProgress terminal("Writing");
    if (options.oneFile) {
        std::vector<const Mesh*> meshes;
        for (const ChainLevel& level : chain.levels) meshes.push_back(&level.mesh);
        writeGltfLevels(meshes, coverages(chain, recipe), inFolder(options, files.front()), format == MeshFormat::Glb,
                        terminal.progress());
    } else {
        for (std::size_t i = 0; i < files.size(); ++i)
            writeMesh(chain.levels[i].mesh, inFolder(options, files[i]), terminal.progress().span(0, 0));
    }
    const std::string manifest = manifestJson(chain, recipe, name, source.mesh, files);
    writeWhole(inFolder(options, name + "_chain.json"), [&](FileWriter& writer) { writer.write(manifest); });
    if (!options.saveRecipe.empty())
        writeWhole(options.saveRecipe, [&](FileWriter& writer) { writer.write(recipeJson(recipe)); });
    bool allMet = true;
    std::string line = "Made " + countOf(chain.levels.size(), "level", "levels") + " of " + options.in + " (" +
                       formatCount(source.mesh.triangleCount()) + " triangles):";
    for (const ChainLevel& level : chain.levels) {
        allMet = allMet && level.targetMet;
        line += (&level == &chain.levels.front() ? " " : ", ") + formatCount(level.mesh.triangleCount()) +
                (level.switchDistance > 0 ? " from " + formatLength(level.switchDistance) : std::string()) +
                (level.targetMet ? "" : " (fewer were asked for)");
    }
    answer.line(line + " -> " + options.folder);
    for (const std::string& sentence : chain.notes.sentences(source.mesh.metresPerUnit)) answer.line("  " + sentence);
    answer.json(Json::parse(manifest));
    return allMet ? done : checkMissed;
}

}  // namespace

void addChain(CLI::App& app, int& code) {
    CLI::App* command =
        app.add_subcommand("chain", "Makes a chain of levels, measured, with the distances to switch at");
    const auto options = std::make_shared<Options>();
    command->add_option("IN", options->in, "the source")->required();
    command->add_option("FOLDER", options->folder, "where the levels and their manifest go")->required();
    command->add_option("--targets", options->targets, "of the levels, the finest first: 120k,36k,1px@24m")
        ->delimiter(',');
    command->add_option("--levels", options->levels, "how many levels, by --first and --ratio");
    command->add_option("--first", options->first, "the first level's target, such as 120k or 10%");
    command->add_option("--ratio", options->ratio, "triangles of a level to those of the one before")
        ->capture_default_str();
    command->add_option("--recipe", options->recipe, "take targets and settings from this file");
    command->add_option("--save-recipe", options->saveRecipe, "write them to this file, for other sources");
    command->add_option("--screen", options->screen, "the screen it is seen on (default: 1440px,50deg)");
    command->add_option("--pixels", options->pixels, "by how much a level may be off where it comes in (default: 1)");
    command->add_option("--protect", options->protect,
                        "borders=hard,seams=on,creases=30deg,materials=off,skin=on: each off, on or hard");
    command->add_option("--silhouette-weight", options->silhouetteWeight,
                        "how much dearer places on the outline are, 0 to 1");
    command->add_option("--drop-loose", options->dropLoose,
                        "drop loose pieces smaller than 5mm, 0.2% or 3px@24m first");
    command->add_option("--pattern", options->pattern, "names of the files: {name}, {level}, {n}; / makes subfolders")
        ->capture_default_str();
    command->add_option("--format", options->format, "glb, gltf, obj, ply or stl")->capture_default_str();
    command->add_flag("--one-file", options->oneFile, "all levels in one GLB or glTF (MSFT_lod)");
    command->add_option("--unit", options->unit, "the file's unit, where it does not say it: mm, cm, m, in, ft");
    command->add_option("--json", options->json, "also write the manifest to this file; - is standard output");
    command->callback([options, &code] { code = run(*options); });
}

}  // namespace um::cli
