#pragma once
/// PLY: ASCII and binary of both byte orders; normals, UVs and colours of vertices.
#include "files/MeshFile.h"

#include <string_view>

namespace um {

/// Fills `result` from a file's bytes.
/// @throws FileError  naming the place and the remedy, if the file is broken
void readPly(const std::filesystem::path& path, std::string_view text, MeshFile& result, const Progress& progress);

void writePly(const Mesh& mesh, const std::filesystem::path& path, const Progress& progress);

}  // namespace um
