#pragma once
/// A scene as assimp hands it out, as one of our meshes.
#include "files/MeshFile.h"

struct aiScene;

namespace um {

/// One part for each node with a shape, one section for each mesh of it. Polygons are triangulated; points and lines,
/// skins and animations are left out, and that is noted. Textures are taken from beside the file.
/// @param file  that the scene was read from
MeshFile meshOfScene(const aiScene& scene, const std::filesystem::path& file);

}  // namespace um
