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

/// Levels of one model in one file: the first as what is seen, the others as its MSFT_lod, with the shares of the
/// screen's height down to which each is drawn (MSFT_screencoverage). They share materials, textures and skeleton.
/// @param screenSizes  one for each level, falling; of the last it is where nothing is drawn any more
/// @throws FileError; MeshError  if the levels do not have the same materials
void writeGltfLevels(const std::vector<const Mesh*>& levels, const std::vector<double>& screenSizes,
                     const std::filesystem::path& path, bool binary, const Progress& progress);

}  // namespace um
