#pragma once
/// Wavefront OBJ: polygons, groups, materials from MTL, UVs, normals, vertex colours after the coordinates.
#include "files/MeshFile.h"

#include <string_view>

namespace um {

/// Fills `result` from a file's bytes.
/// @throws FileError  naming the place and the remedy, if the file is broken
void readObj(const std::filesystem::path& path, std::string_view text, MeshFile& result, const Progress& progress);

void writeObj(const Mesh& mesh, const std::filesystem::path& path, const Progress& progress);

}  // namespace um
