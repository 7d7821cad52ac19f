#include "files/Image.h"

#include "base/Error.h"
#include "base/Parallel.h"

#define STB_IMAGE_STATIC
#define STB_IMAGE_IMPLEMENTATION
#define STBI_ONLY_PNG
#define STBI_ONLY_JPEG
#define STBI_ONLY_TGA
#define STBI_ONLY_BMP
#define STBI_NO_STDIO
// The library's own; inlined, they come up anywhere in this file.
#pragma GCC diagnostic ignored "-Wunused-function"
#pragma GCC diagnostic ignored "-Wmaybe-uninitialized"
#pragma GCC diagnostic ignored "-Wmissing-field-initializers"
#include <stb/stb_image.h>

#include <png.h>

#include <climits>
#include <cmath>
#include <limits>
#include <memory>

namespace um {
namespace {

const stbi_uc* start(std::string_view bytes) {
    return reinterpret_cast<const stbi_uc*>(bytes.data());
}

std::array<double, 256> lights() {
    std::array<double, 256> table{};
    for (std::size_t i = 0; i < 256; ++i) table[i] = decodedLight(double(i) / 255);
    return table;
}

template <class Value>
constexpr double full = std::numeric_limits<Value>::max();

template <class Value>
Value rounded(double value) {
    return Value(std::lround(std::clamp(value, 0.0, full<Value>)));
}

template <class Value>
double lightIn(Value value) {
    if constexpr (sizeof(Value) == 1) return lightOf(value);
    return decodedLight(double(value) / full<Value>);
}

// Of the formats that the library knows, TGA has nothing to be known by: any bytes could be one.
bool isPngOrJpeg(std::string_view bytes) {
    return bytes.starts_with("\x89PNG") || bytes.starts_with("\xff\xd8");
}

struct FreeTexels {
    void operator()(void* data) const { stbi_image_free(data); }
};

// @param channels  that the file has; there are four values for each texel in any case
template <class Value>
ImageOf<Value> imageOf(const Value* texels, int width, int height, int channels) {
    ImageOf<Value> image{width, height, channels == 2 || channels == 4, {}};
    image.texels.resize(std::size_t(width) * std::size_t(height));
    std::copy_n(texels, image.texels.size() * 4, image.texels.front().data());
    return image;
}

// The texels that `load`, one of the library's functions, makes of a file.
template <class Value, class Load>
ImageOf<Value> decoded(std::string_view bytes, const std::string& what, const Load& load) {
    int width = 0, height = 0, channels = 0;
    std::unique_ptr<Value, FreeTexels> data;
    if (bytes.size() <= std::size_t(INT_MAX) && isPngOrJpeg(bytes))
        data.reset(load(start(bytes), int(bytes.size()), &width, &height, &channels, 4));
    if (!data)
        throw MeshError("The image " + what +
                        " is damaged or too large to read; put a sound PNG or JPEG in its place.");
    return imageOf(data.get(), width, height, channels);
}

// The texels of either kind of image as a PNG file, row by row.
template <class Value>
std::string written(const ImageOf<Value>& image) {
    constexpr int bits = 8 * sizeof(Value);
    std::string bytes;
    const auto fail = [](png_structp, png_const_charp) {
        throw MeshError("An image could not be written for want of memory; close other programs and try again.");
    };
    png_structp png =
        png_create_write_struct(PNG_LIBPNG_VER_STRING, nullptr, fail, [](png_structp, png_const_charp) {});
    if (png == nullptr) fail(nullptr, "");
    png_infop info = png_create_info_struct(png);
    const auto close = [&](png_structp) { png_destroy_write_struct(&png, &info); };
    const std::unique_ptr<png_struct, decltype(close)> closing(png, close);
    png_set_write_fn(
        png, &bytes,
        [](png_structp to, png_bytep data, std::size_t size) {
            static_cast<std::string*>(png_get_io_ptr(to))->append(reinterpret_cast<const char*>(data), size);
        },
        nullptr);
    const int channels = image.hasAlpha ? 4 : 3;
    png_set_IHDR(png, info, png_uint_32(image.width), png_uint_32(image.height), bits,
                 image.hasAlpha ? PNG_COLOR_TYPE_RGB_ALPHA : PNG_COLOR_TYPE_RGB, PNG_INTERLACE_NONE,
                 PNG_COMPRESSION_TYPE_DEFAULT, PNG_FILTER_TYPE_DEFAULT);
    // A little larger than at best, in a fraction of the time.
    constexpr int compression = 4;
    png_set_compression_level(png, compression);
    png_set_filter(png, 0, PNG_FILTER_SUB | PNG_FILTER_UP);
    png_write_info(png, info);
    std::vector<std::uint8_t> row;
    for (int y = 0; y < image.height; ++y) {
        row.clear();
        for (int x = 0; x < image.width; ++x) {
            const auto& texel = image.texels[std::size_t(y) * std::size_t(image.width) + std::size_t(x)];
            for (std::size_t k = 0; k < std::size_t(channels); ++k) {
                if constexpr (bits == 16) row.push_back(std::uint8_t(texel[k] >> 8));
                row.push_back(std::uint8_t(texel[k] & 0xff));
            }
        }
        png_write_row(png, row.data());
    }
    png_write_end(png, nullptr);
    return bytes;
}

template <class Value>
std::array<Value, 4> meanOf(const ImageOf<Value>& image, int left, int top, int right, int bottom,
                            ImageMeaning meaning) {
    std::array<double, 4> sum{};
    double weights = 0, count = 0;
    const bool byAlpha = meaning == ImageMeaning::Light && image.hasAlpha;
    for (int y = top; y < bottom; ++y)
        for (int x = left; x < right; ++x) {
            const auto& texel = image.at(x, y);
            // What cannot be seen has no say in the colour.
            const double weight = byAlpha ? texel[3] / full<Value> + 1e-5 : 1;
            for (std::size_t i = 0; i < 3; ++i)
                sum[i] +=
                    weight * (meaning == ImageMeaning::Light ? lightIn(texel[i]) : double(texel[i]) / full<Value>);
            sum[3] += texel[3] / full<Value>;
            weights += weight;
            count += 1;
        }
    std::array<Value, 4> mean{};
    std::array<double, 3> part{};
    for (std::size_t i = 0; i < 3; ++i) part[i] = sum[i] / weights;
    if (meaning == ImageMeaning::Normals) {
        // Directions stay of unit length.
        double length = 0;
        for (double& value : part) {
            value = 2 * value - 1;
            length += value * value;
        }
        length = std::sqrt(std::max(length, 1e-12));
        for (double& value : part) value = (value / length + 1) / 2;
    }
    for (std::size_t i = 0; i < 3; ++i)
        mean[i] = rounded<Value>(full<Value> * (meaning == ImageMeaning::Light ? encodedLight(part[i]) : part[i]));
    mean[3] = rounded<Value>(full<Value> * sum[3] / count);
    return mean;
}

template <class Value>
ImageOf<Value> madeSmaller(const ImageOf<Value>& image, int width, int height, ImageMeaning meaning) {
    ImageOf<Value> small{width, height, image.hasAlpha, {}};
    small.texels.resize(std::size_t(width) * std::size_t(height));
    const auto begin = [](int i, int count, int of) { return int(std::int64_t(i) * of / count); };
    parallelFor(
        std::size_t(height),
        [&](std::size_t y) {
            const int top = begin(int(y), height, image.height);
            const int bottom = std::max(top + 1, begin(int(y) + 1, height, image.height));
            for (int x = 0; x < width; ++x) {
                const int left = begin(x, width, image.width);
                const int right = std::max(left + 1, begin(x + 1, width, image.width));
                small.texels[y * std::size_t(width) + std::size_t(x)] =
                    meanOf(image, left, top, right, bottom, meaning);
            }
        },
        16);
    return small;
}

}  // namespace

double lightOf(std::uint8_t value) {
    static const std::array<double, 256> table = lights();
    return table[value];
}

double decodedLight(double value) {
    return value <= 0.04045 ? value / 12.92 : std::pow((value + 0.055) / 1.055, 2.4);
}

double encodedLight(double light) {
    return light <= 0.0031308 ? 12.92 * light : 1.055 * std::pow(light, 1 / 2.4) - 0.055;
}

std::uint8_t valueOf(double light) {
    return rounded<std::uint8_t>(255 * encodedLight(light));
}

std::optional<ImageInfo> imageInfo(std::string_view bytes) {
    ImageInfo info;
    int channels = 0;
    if (bytes.size() > std::size_t(INT_MAX) || !isPngOrJpeg(bytes) ||
        stbi_info_from_memory(start(bytes), int(bytes.size()), &info.width, &info.height, &channels) == 0 ||
        info.width <= 0 || info.height <= 0)
        return std::nullopt;
    info.mimeType = bytes.starts_with("\x89PNG") ? "image/png" : "image/jpeg";
    info.bits = stbi_is_16_bit_from_memory(start(bytes), int(bytes.size())) != 0 ? 16 : 8;
    return info;
}

std::optional<Image> decodeTgaOrBmp(std::string_view bytes) {
    // Runs of one texel are 128 long at most; what says to be larger would only fill the memory.
    constexpr double mostTexelsOfByte = 128;
    int width = 0, height = 0, channels = 0;
    if (bytes.size() > std::size_t(INT_MAX) || isPngOrJpeg(bytes) ||
        stbi_info_from_memory(start(bytes), int(bytes.size()), &width, &height, &channels) == 0 || width <= 0 ||
        height <= 0 || double(width) * double(height) > mostTexelsOfByte * double(bytes.size()))
        return std::nullopt;
    std::unique_ptr<stbi_uc, FreeTexels> data(
        stbi_load_from_memory(start(bytes), int(bytes.size()), &width, &height, &channels, 4));
    if (!data) return std::nullopt;
    return imageOf(data.get(), width, height, channels);
}

bool isWholeImage(std::string_view bytes) {
    if (!bytes.starts_with("\x89PNG")) {
        // A marker of the end behind the last scan; a small picture in the head has one, too.
        const std::size_t end = bytes.rfind("\xff\xd9"), scan = bytes.rfind("\xff\xda");
        return end != bytes.npos && scan != bytes.npos && end > scan;
    }
    constexpr std::size_t aroundChunk = 12;  // its length, its name and its checksum
    for (std::size_t at = 8; at + aroundChunk <= bytes.size();) {
        if (bytes.substr(at + 4, 4) == "IEND") return true;
        std::size_t length = 0;
        for (std::size_t i = 0; i < 4; ++i) length = length << 8 | static_cast<unsigned char>(bytes[at + i]);
        at += aroundChunk + length;
    }
    return false;
}

Image decodeImage(std::string_view bytes, const std::string& what) {
    return decoded<stbi_uc>(bytes, what, stbi_load_from_memory);
}

DeepImage decodeDeepImage(std::string_view bytes, const std::string& what) {
    return decoded<stbi_us>(bytes, what, stbi_load_16_from_memory);
}

std::string pngOf(const Image& image) {
    return written(image);
}

std::string pngOf(const DeepImage& image) {
    return written(image);
}

Image shrunk(const Image& image, int width, int height, ImageMeaning meaning) {
    return madeSmaller(image, width, height, meaning);
}

DeepImage shrunk(const DeepImage& image, int width, int height, ImageMeaning meaning) {
    return madeSmaller(image, width, height, meaning);
}

}  // namespace um
