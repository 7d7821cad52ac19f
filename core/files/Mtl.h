#pragma once
/// The material file beside an OBJ.
#include "files/MeshFile.h"

#include <map>

namespace um {

/// Adds the file's materials to the mesh, with their textures where these lie beside it, and their numbers to `known`.
/// Maps of roughness and metalness become one texture, an opacity map the base colour's alpha; a bump map that holds
/// normals, as some exporters write them, is taken as what it is.
/// @throws FileError  if it cannot be read
/// @throws Cancelled
void readMaterialFile(const std::filesystem::path& path, MeshFile& result, std::map<std::string, std::uint32_t>& known,
                      const Progress& progress);

/// Writes the materials, and their textures beside them, named after the file and themselves.
/// @throws FileError
void writeMaterialFile(const Mesh& mesh, const std::filesystem::path& path);

/// A material's name as one word, as the format wants it.
std::string materialWord(const Material& material);

}  // namespace um
