#pragma once
/// Images of textures: read from PNG and JPEG, made smaller, written as PNG.
#include <array>
#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace um {

struct ImageInfo {
    int width = 0, height = 0;
    std::string mimeType;  ///< image/png or image/jpeg
    int bits = 8;          ///< of each value: 8 or 16
};

/// What an image file says about itself, without decoding it. Nothing if the bytes are neither a PNG nor a JPEG file.
std::optional<ImageInfo> imageInfo(std::string_view bytes);

/// Whether a PNG or JPEG file goes on to its end, as one whose copying was cut off does not. Decodes nothing.
bool isWholeImage(std::string_view bytes);

/// Texels of four values each, rows from the top.
template <class Value>
struct ImageOf {
    int width = 0, height = 0;
    bool hasAlpha = false;
    std::vector<std::array<Value, 4>> texels;

    const std::array<Value, 4>& at(int x, int y) const {
        return texels[std::size_t(y) * std::size_t(width) + std::size_t(x)];
    }
};
using Image = ImageOf<std::uint8_t>;
using DeepImage = ImageOf<std::uint16_t>;  ///< where 8 bits would show steps

/// The image of a PNG or JPEG file, whatever its bits.
/// @throws MeshError  naming `what`, if the bytes are no image or a damaged one
Image decodeImage(std::string_view bytes, const std::string& what);
DeepImage decodeDeepImage(std::string_view bytes, const std::string& what);

/// The image of a TGA or BMP file; nothing if the bytes are neither, or a damaged one.
std::optional<Image> decodeTgaOrBmp(std::string_view bytes);

/// As a PNG file, with as many bits. @throws MeshError  if that fails for want of memory
std::string pngOf(const Image& image);
std::string pngOf(const DeepImage& image);

/// What the numbers of an image stand for, which says how they are averaged.
enum class ImageMeaning : unsigned char { Light, Data, Normals };

/// Each texel the mean of those that it stands for: of colours the mean of their light (sRGB), by their alpha.
Image shrunk(const Image& image, int width, int height, ImageMeaning meaning);
DeepImage shrunk(const DeepImage& image, int width, int height, ImageMeaning meaning);

/// The light that an sRGB value of 0 to 255 stands for, 0 to 1; and the way back.
double lightOf(std::uint8_t value);
std::uint8_t valueOf(double light);
/// The same from 0 to 1, not rounded.
double decodedLight(double value);
double encodedLight(double light);

}  // namespace um
