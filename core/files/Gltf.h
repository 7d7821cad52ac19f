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

/// How the numbers of a file are stored.
enum class GltfPacking : unsigned char {
    None,
    Quantised,  ///< in fewer bits (KHR_mesh_quantization), which any reader that knows it takes as they are
    Draco       ///< compressed (KHR_draco_mesh_compression), which a reader has to unpack; blend shapes are not
};

/// Levels of one model in one file: the first as what is seen, the others as its MSFT_lod, with the shares of the
/// screen's height down to which each is drawn (MSFT_screencoverage). They share one skeleton, and whatever materials
/// and textures are alike. The parts of a skinned level are one node each level.
/// @param screenSizes  one for each level, falling; of the last it is where nothing is drawn any more
/// @throws FileError
void writeGltfLevels(const std::vector<const Mesh*>& levels, const std::vector<double>& screenSizes,
                     const std::filesystem::path& path, bool binary, GltfPacking packing, const Progress& progress);

/// The same in memory.
std::string gltfOf(const std::vector<const Mesh*>& levels, const std::vector<double>& screenSizes, bool binary,
                   GltfPacking packing, const Progress& progress);

}  // namespace um
