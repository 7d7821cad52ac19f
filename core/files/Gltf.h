#pragma once
/// glTF 2.0 and GLB: nodes with their transforms become parts; several primitives, materials, UVs, normals, colours.
#include "files/MeshFile.h"

#include <string_view>

namespace um {

/// Fills `result` from a file's bytes; buffers beside the file are read too. A missing buffer costs only what it holds.
/// @throws FileError  naming the place and the remedy, if the file is broken
void readGltf(const std::filesystem::path& path, std::string_view text, MeshFile& result, const Progress& progress);

/// One node and mesh for each part, one primitive for each section; lengths become metres. A mesh without normals is
/// given smooth ones, since glTF would show it faceted.
void writeGltf(const Mesh& mesh, const std::filesystem::path& path, bool binary, const Progress& progress);

}  // namespace um
