#include "cli/Console.h"

#include "base/Error.h"
#include "base/File.h"
#include "base/Units.h"

#include <unistd.h>
#include <chrono>
#include <csignal>
#include <cstdio>

namespace um::cli {
namespace {

std::atomic<bool> interrupted = false;

// A signal handler may do no more than this; the watcher passes it on.
void onInterrupt(int) {
    interrupted = true;
}

Json oneSidedJson(const OneSidedDeviation& deviation) {
    return {{"max", deviation.max},
            {"mean", deviation.mean},
            {"rms", deviation.rms},
            {"p95", deviation.p95},
            {"p99", deviation.p99}};
}

}  // namespace

TerminalProgress::TerminalProgress(std::string what) : m_what(std::move(what)) {
    std::signal(SIGINT, onInterrupt);
    m_watcher = std::thread([this] { watch(); });
}

TerminalProgress::~TerminalProgress() {
    m_finished = true;
    m_watcher.join();
}

void TerminalProgress::watch() {
    const bool shows = ::isatty(STDERR_FILENO) != 0;
    const auto begin = std::chrono::steady_clock::now();
    bool shown = false;
    while (!m_finished) {
        std::this_thread::sleep_for(std::chrono::milliseconds(5));
        if (interrupted) m_progress.cancel();
        const double seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
        if (!shows || seconds < 0.3) continue;
        const double fraction = m_progress.fraction();
        std::fprintf(stderr, "\r%s %3.0f %%", m_what.c_str(), 100 * fraction);
        if (fraction > 0.02) std::fprintf(stderr, "  %.0f s left   ", seconds * (1 - fraction) / fraction);
        std::fflush(stderr);
        shown = true;
    }
    if (shown) std::fprintf(stderr, "\r\033[K");
}

void Answer::line(const std::string& text) const {
    std::fprintf(m_jsonFile == "-" ? stderr : stdout, "%s\n", text.c_str());
}

void Answer::json(const Json& json) const {
    if (m_jsonFile.empty()) return;
    const std::string text = json.dump(2, ' ', false, Json::error_handler_t::replace) + "\n";
    if (m_jsonFile == "-")
        std::fputs(text.c_str(), stdout);
    else
        writeWhole(m_jsonFile, [&](FileWriter& writer) { writer.write(text); });
}

MeshFile readWithNotes(const std::string& path, const std::string& unit, UpAxis up) {
    const TerminalProgress terminal("Reading " + std::filesystem::path(path).filename().string());
    MeshFile file = readMesh(path, terminal.progress());
    for (const auto* sentences : {&file.remarks, &file.notes})
        for (const std::string& note : *sentences) std::fprintf(stderr, "umesh: note: %s\n", note.c_str());
    if (!unit.empty()) {
        const auto metres = metresPerUnitOf(unit);
        if (!metres) throw InputError("\"" + unit + "\" is not a unit: use mm, cm, m, km, in or ft.");
        if (!file.mesh.unitStated) file.mesh.metresPerUnit = *metres;
        file.mesh.unitStated = true;
    }
    if (up == UpAxis::Z && !saysWhatIsUp(path)) standUpAlongY(file.mesh);
    return file;
}

UpAxis parseUp(const std::string& text) {
    if (text != "y" && text != "z") throw InputError("The axis that points up is y or z.");
    return text == "z" ? UpAxis::Z : UpAxis::Y;
}

Json deviationJson(const Deviation& deviation, const Mesh& source, double tolerance) {
    Json json = {{"unit", unitName(source.metresPerUnit)},
                 {"max", deviation.max},
                 {"max_bound", deviation.maxBound},
                 {"mean", deviation.mean},
                 {"rms", deviation.rms},
                 {"p95", deviation.p95},
                 {"p99", deviation.p99},
                 {"mean_signed", deviation.meanSigned},
                 {"source_to_level", oneSidedJson(deviation.sourceToLevel)},
                 {"level_to_source", oneSidedJson(deviation.levelToSource)}};
    for (std::size_t p = 0; p < deviation.byPart.size(); ++p) {
        const PartDeviation& part = deviation.byPart[p];
        json["by_part"].push_back(
            {{"part", source.parts[p].name}, {"max", part.max}, {"mean", part.mean}, {"rms", part.rms}});
    }
    for (const FarPlace& far : deviation.farPlaces)
        json["far_places"].push_back({{"place", {far.place.x(), far.place.y(), far.place.z()}},
                                      {"distance", far.distance},
                                      {"on", far.isOnSource ? "source" : "level"}});
    if (tolerance > 0)
        json["within"] = {{"tolerance", tolerance}, {"fraction", deviation.distribution.shareWithin(tolerance)}};
    return json;
}

Json meshJson(const std::string& file, const Mesh& mesh) {
    return {{"file", file},
            {"triangles", mesh.triangleCount()},
            {"vertices", mesh.vertexCount()},
            {"diagonal", diagonal(mesh)}};
}

std::string deviationLine(const Deviation& deviation, double metresPerUnit) {
    return "max " + formatLength(deviation.max * metresPerUnit) + " (at most " +
           formatLength(deviation.maxBound * metresPerUnit) + "), rms " + formatLength(deviation.rms * metresPerUnit) +
           ", p99 " + formatLength(deviation.p99 * metresPerUnit);
}

}  // namespace um::cli
