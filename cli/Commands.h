#pragma once
/// The commands of umesh. Each adds itself to the command line; when called it does its work and sets the exit code.
#include <CLI/CLI.hpp>

namespace um::cli {

enum ExitCode { done = 0, failed = 1, wrongUsage = 2, checkMissed = 3 };

/// umesh inspect MESH... : counts, size, parts, materials, health.
void addInspect(CLI::App& app, int& code);
/// umesh reduce IN OUT --target ... [--measure] [--tolerance ...]
void addReduce(CLI::App& app, int& code);
/// umesh chain IN OUTDIR --targets ... | --levels ... --first ... --ratio ... | --recipe FILE
void addChain(CLI::App& app, int& code);
/// umesh bake SOURCE LEVEL OUT --sheet 2048 [--channels ...]
void addBake(CLI::App& app, int& code);
/// umesh merge IN OUT --sheet 2048 [--share density|area|seen]
void addMerge(CLI::App& app, int& code);
/// umesh repair IN OUT --weld ... --fill ... --drop-bits ... --turn --drop
void addRepair(CLI::App& app, int& code);
/// umesh report SOURCE LEVEL... --out FILE.html
void addReport(CLI::App& app, int& code);
/// umesh measure SOURCE LEVEL [--tolerance ...]
void addMeasure(CLI::App& app, int& code);

}  // namespace um::cli
