#include "files/TextureFile.h"

#include "base/Error.h"
#include "base/File.h"
#include "base/Units.h"

namespace um {
namespace {

bool isNamedTgaOrBmp(const std::filesystem::path& path) {
    const std::string extension = lowered(path.extension().string());
    return extension == ".tga" || extension == ".bmp";
}

bool isImage(const std::filesystem::path& path) {
    std::error_code ignored;
    if (!std::filesystem::is_regular_file(path, ignored) || std::filesystem::file_size(path, ignored) == 0)
        return false;
    try {
        const MappedFile file(path);
        return imageInfo(file.text()) || (isNamedTgaOrBmp(path) && decodeTgaOrBmp(file.text()));
    } catch (const FileError&) {
        return false;  // not to be read: as good as missing
    }
}

}  // namespace

std::filesystem::path findImageFile(MeshFile& mesh, std::span<const std::filesystem::path> places) {
    for (const std::filesystem::path& place : places) {
        mesh.addCompanion(place);
        if (isImage(place)) return place;
    }
    return {};
}

Texture textureOfFile(const std::filesystem::path& image) {
    const MappedFile file(image);
    const auto bytes = std::make_shared<const std::string>(
        isNamedTgaOrBmp(image) && !imageInfo(file.text()) ? pngOf(decodeImageFile(image)) : std::string(file.text()));
    const ImageInfo info = imageInfo(*bytes).value_or(ImageInfo());
    return {image.stem().string(), info.mimeType, bytes, info.width, info.height, info.bits};
}

std::optional<Texture> findTexture(MeshFile& mesh, std::span<const std::filesystem::path> places) {
    const std::filesystem::path image = findImageFile(mesh, places);
    return image.empty() ? std::nullopt : std::optional(textureOfFile(image));
}

Image decodeImageFile(const std::filesystem::path& image) {
    const MappedFile file(image);
    if (isNamedTgaOrBmp(image))
        if (std::optional<Image> decoded = decodeTgaOrBmp(file.text())) return std::move(*decoded);
    return decodeImage(file.text(), image.string());
}

}  // namespace um
