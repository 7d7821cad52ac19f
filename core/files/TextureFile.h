#pragma once
/// Image files beside a mesh file that names them.
#include "files/Image.h"
#include "files/MeshFile.h"

namespace um {

/// The first of these places where there is an image file that can be read; empty where none is. Wherever it is looked
/// belongs to the mesh from then on. Images are PNG, JPEG, and by their name TGA and BMP.
std::filesystem::path findImageFile(MeshFile& mesh, std::span<const std::filesystem::path> places);

/// An image file as a texture, its bytes as they are; of TGA and BMP as PNG.
/// @throws FileError  if it cannot be read
/// @throws MeshError  if there is not enough memory to write it as PNG
Texture textureOfFile(const std::filesystem::path& image);

/// The texture in the first of these places, likewise; nothing where none is.
std::optional<Texture> findTexture(MeshFile& mesh, std::span<const std::filesystem::path> places);

/// @throws FileError  if it cannot be read
/// @throws MeshError  if it is damaged
Image decodeImageFile(const std::filesystem::path& image);

}  // namespace um
