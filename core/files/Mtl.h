#pragma once
/// The material file beside an OBJ.
#include "files/MeshFile.h"

#include <map>

namespace um {

/// Adds the file's materials to the mesh, with their textures where these lie beside it, and their numbers to `known`.
/// @throws FileError  if it cannot be read
void readMaterialFile(const std::filesystem::path& path, MeshFile& result, std::map<std::string, std::uint32_t>& known);

/// Writes the materials, and their textures beside them, named after the file and themselves.
/// @throws FileError
void writeMaterialFile(const Mesh& mesh, const std::filesystem::path& path);

/// A material's name as one word, as the format wants it.
std::string materialWord(const Material& material);

}  // namespace um
