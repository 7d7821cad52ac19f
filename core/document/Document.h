#pragma once
/// What is worked on: a source, its levels with their evidence, and what they are judged by. A plain value: meshes are
/// shared and never changed, so that copies are cheap and undoing is putting an older copy back.
#include "base/Error.h"
#include "chain/Chain.h"
#include "chain/MergeChoice.h"
#include "mesh/Placement.h"

#include <filesystem>
#include <memory>
#include <string>
#include <vector>

namespace um {

struct Document {
    std::filesystem::path path;  ///< of the .umesh file; empty until it is saved
    std::string name;

    std::filesystem::path sourceFile;  ///< empty where no file holds the source any more
    /// Of that file and what lies beside it, when they were read, or of a shape that no file holds.
    std::string sourceHash;
    std::vector<std::filesystem::path> sourceCompanions;  ///< those beside it; unknown where it is embedded
    UpAxis sourceUp = UpAxis::Y;                          ///< in that file; the source itself stands along y
    bool unitIsChosen = false;                            ///< by someone, since that file does not say it
    bool embedSource = false;                             ///< whether the document itself carries the source
    std::vector<std::string> notes;                       ///< what was lost or guessed when the source was read
    std::vector<std::string> remarks;                     ///< what was done then that loses nothing
    std::shared_ptr<const Mesh> source;
    bool embedLevels = true;  ///< whether it carries those levels, too, that can be made again from the source

    Care care;
    Switching switching;
    Budget budget;
    BakeChoice bake;
    MergeChoice merge;
    std::vector<Level> levels;
    double tolerance = 0.0005;  ///< metres
    Screen screen;
    double viewerDistance = 0;  ///< metres; 0 until the viewer was placed
};

/// Writes the document as an SQLite database, as a whole or not at all.
/// @throws FileError  if it cannot be written; what was there before stays
/// @throws Cancelled
void saveDocument(const Document& document, const std::filesystem::path& path, const Progress& progress);

/// A document's source is not where it was.
struct SourceMissing : FileError {
    SourceMissing(const std::string& sentence, std::string file) : FileError(sentence), sourceFile(std::move(file)) {}
    std::string sourceFile;  ///< its name, without folders
};

/// Reads a document, and its source from the file it refers to unless it is embedded. A source that has changed since
/// is read, with a note saying so. Levels that the document does not carry are made and measured again.
/// @param source  where the source is now, where the document does not know
/// @throws SourceMissing
/// @throws FileError  if it is no document, damaged, of a newer version, or its source cannot be read
/// @throws Cancelled
Document openDocument(const std::filesystem::path& path, const Progress& progress,
                      const std::filesystem::path& source = {});

/// By what levels know whether they are of this source, turned and all.
std::string sourceMark(const Document& document);

/// A new document around a mesh file.
/// @throws FileError, Cancelled
Document documentFromMesh(const std::filesystem::path& path, const Progress& progress);

}  // namespace um
