#pragma once
/// Formats that assimp reads for us: COLLADA, X3D, OFF, 3MF.
#include "files/MeshFile.h"

namespace um {

/// Fills `result` through the program umesh-foreign, in a process of its own, which may fail without harm.
/// @throws FileError  if the file is damaged, or that program is missing
/// @throws Cancelled  at once; the process is ended
void readForeign(const std::filesystem::path& path, MeshFile& result, const Progress& progress);

}  // namespace um
