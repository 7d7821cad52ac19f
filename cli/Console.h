#pragma once
/// What the commands share: progress on a terminal, the one line that says what was done, and the JSON.
#include "base/Json.h"
#include "base/Progress.h"
#include "files/MeshFile.h"
#include "measure/Deviation.h"
#include "mesh/Placement.h"

#include <atomic>
#include <nlohmann/json.hpp>
#include <string>
#include <thread>

namespace um::cli {

/// Shows a percentage on standard error while it lives, if that is a terminal. Ctrl-C cancels the progress.
class TerminalProgress {
public:
    explicit TerminalProgress(std::string what);
    ~TerminalProgress();
    TerminalProgress(const TerminalProgress&) = delete;
    TerminalProgress& operator=(const TerminalProgress&) = delete;

    const Progress& progress() const { return m_progress; }

private:
    void watch();

    std::string m_what;
    Progress m_progress;
    std::atomic<bool> m_finished = false;
    std::thread m_watcher;
};

/// Where the answer goes: a line for people, and JSON into a file ("-" is standard output, which then carries nothing
/// else).
class Answer {
public:
    explicit Answer(std::string jsonFile) : m_jsonFile(std::move(jsonFile)) {}
    void line(const std::string& text) const;
    void json(const Json& json) const;

private:
    std::string m_jsonFile;
};

/// Reads a mesh with progress and prints the reader's notes on standard error. A unit given holds where the file does
/// not say its own.
MeshFile readWithNotes(const std::string& path, const std::string& unit, UpAxis up = UpAxis::Y);
/// "y" or "z".
/// @throws InputError  if it is neither
UpAxis parseUp(const std::string& text);

/// The measurements as docs/MEASURES.md lists them, lengths in the source's unit; a `tolerance` of 0 asks for no share.
Json deviationJson(const Deviation& deviation, const Mesh& source, double tolerance);

Json meshJson(const std::string& file, const Mesh& mesh);

/// "max 0.42 mm (at most 0.45 mm), rms 0.08 mm, p99 0.31 mm"
std::string deviationLine(const Deviation& deviation, double metresPerUnit);

}  // namespace um::cli
