#include "document/Report.h"
#include "base/Error.h"
#include "base/File.h"
#include "base/Units.h"
#include "cli/Commands.h"
#include "cli/Console.h"

#include <ctime>
#include <memory>

namespace um::cli {
namespace {

struct ReportOptions {
    std::string source, out, tolerance, at, screen, unit, date, sourceUp = "y";
    std::vector<std::string> levels;
};

std::string today() {
    const std::time_t now = std::time(nullptr);
    std::tm day{};
    ::localtime_r(&now, &day);
    char text[16];
    std::strftime(text, sizeof text, "%Y-%m-%d", &day);
    return text;
}

// A document is judged as it is: with its own levels, tolerance, screen and viewer, but for what is given.
Document documentOf(const ReportOptions& options) {
    if (options.source.ends_with(".umesh")) {
        if (!options.levels.empty())
            throw InputError("A document has its own levels; give meshes to judge levels in files.");
        const TerminalProgress terminal("Reading " + options.source);
        Document document = openDocument(options.source, terminal.progress());
        if (document.levels.empty()) throw InputError(options.source + " has no levels yet; keep one first.");
        return document;
    }
    if (options.levels.empty()) throw InputError("Name the levels that are to be judged against the source.");
    Document document;
    MeshFile source = readWithNotes(options.source, options.unit, parseUp(options.sourceUp));
    document.sourceFile = options.source;
    document.name = document.sourceFile.stem().string();
    document.sourceHash = hashMeshFile(document.sourceFile, source.companions, Progress());
    for (const std::string& path : options.levels) {
        MeshFile level = readWithNotes(path, options.unit, parseUp(options.sourceUp));
        if (level.mesh.unitStated) convertUnit(level.mesh, source.mesh.metresPerUnit);
        const std::string name = std::filesystem::path(path).filename().string();
        document.levels.push_back(makeLevel(name, "", std::make_shared<const Mesh>(std::move(level.mesh))));
    }
    document.source = std::make_shared<const Mesh>(std::move(source.mesh));
    return document;
}

void run(const ReportOptions& options) {
    if (!options.out.ends_with(".html")) throw InputError("The sheet is written as HTML; let the name end in .html.");
    Document document = documentOf(options);
    const double metres = document.source->metresPerUnit;
    const auto lengthOf = [&](const std::string& typed) { return parseLength(typed).inMeshUnits(metres) * metres; };
    if (!options.tolerance.empty()) document.tolerance = lengthOf(options.tolerance);
    if (!options.screen.empty()) document.screen = parseScreen(options.screen);
    if (!options.at.empty()) document.viewerDistance = lengthOf(options.at);
    const std::string html = [&] {
        const TerminalProgress terminal("Judging");
        return reportHtml(document, options.date.empty() ? today() : options.date, terminal.progress());
    }();
    writeWhole(options.out, [&](FileWriter& file) { file.write(html); });
    Answer("").line("Wrote the evidence of " + countOf(document.levels.size(), "level", "levels") + " against " +
                    options.source + " to " + options.out);
}

}  // namespace

void addReport(CLI::App& app, int& code) {
    CLI::App* command = app.add_subcommand("report", "An evidence sheet: pictures, figures and findings of levels");
    const auto options = std::make_shared<ReportOptions>();
    command->add_option("SOURCE", options->source, "the untouched mesh, or a document with its levels (.umesh)")
        ->required();
    command->add_option("LEVELS", options->levels, "the reduced ones");
    command->add_option("--out", options->out, "file to write (.html)")->required();
    command->add_option("--tolerance", options->tolerance,
                        "deviations up to this are fine (default: 0.5mm, or the document's)");
    command->add_option("--at", options->at, "the distance that outlines are judged at (default: 100 px tall)");
    command->add_option("--screen", options->screen,
                        "the screen it is seen on (default: 1440px,50deg, or the document's)");
    command->add_option("--date", options->date, "the date on the sheet (default: today)");
    command->add_option("--unit", options->unit, "the files' unit, where they do not say it: mm, cm, m, in, ft");
    command->add_option("--source-up", options->sourceUp, "what points up in files that do not say it: y or z")
        ->capture_default_str();
    command->callback([options, &code] {
        run(*options);
        code = done;
    });
}

}  // namespace um::cli
