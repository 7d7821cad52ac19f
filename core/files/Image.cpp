#include "files/Image.h"

#include "base/Error.h"
#include "base/Parallel.h"

#define STB_IMAGE_STATIC
#define STB_IMAGE_IMPLEMENTATION
#define STBI_ONLY_PNG
#define STBI_ONLY_JPEG
#define STBI_NO_STDIO
#define STBI_WRITE_NO_STDIO
#define STB_IMAGE_WRITE_STATIC
#define STB_IMAGE_WRITE_IMPLEMENTATION
// The library's own; inlined, they come up anywhere in this file.
#pragma GCC diagnostic ignored "-Wunused-function"
#pragma GCC diagnostic ignored "-Wmaybe-uninitialized"
#pragma GCC diagnostic ignored "-Wmissing-field-initializers"
#include <stb/stb_image.h>
#include <stb/stb_image_write.h>

#include <climits>
#include <cmath>
#include <memory>

namespace um {
namespace {

const stbi_uc* start(std::string_view bytes) {
    return reinterpret_cast<const stbi_uc*>(bytes.data());
}

std::array<double, 256> lights() {
    std::array<double, 256> table{};
    for (std::size_t i = 0; i < 256; ++i) {
        const double v = double(i) / 255;
        table[i] = v <= 0.04045 ? v / 12.92 : std::pow((v + 0.055) / 1.055, 2.4);
    }
    return table;
}

std::uint8_t rounded(double value) {
    return std::uint8_t(std::lround(std::clamp(value, 0.0, 255.0)));
}

std::array<std::uint8_t, 4> meanOf(const Image& image, int left, int top, int right, int bottom, ImageMeaning meaning) {
    std::array<double, 4> sum{};
    double weights = 0, count = 0;
    const bool byAlpha = meaning == ImageMeaning::Light && image.hasAlpha;
    for (int y = top; y < bottom; ++y)
        for (int x = left; x < right; ++x) {
            const auto& texel = image.at(x, y);
            // What cannot be seen has no say in the colour.
            const double weight = byAlpha ? texel[3] + 1e-3 : 1;
            for (std::size_t i = 0; i < 3; ++i)
                sum[i] += weight * (meaning == ImageMeaning::Light ? lightOf(texel[i]) : double(texel[i]));
            sum[3] += texel[3];
            weights += weight;
            count += 1;
        }
    std::array<std::uint8_t, 4> mean{};
    std::array<double, 3> part{};
    for (std::size_t i = 0; i < 3; ++i) part[i] = sum[i] / weights;
    if (meaning == ImageMeaning::Normals) {
        // Directions stay of unit length.
        double length = 0;
        for (double& value : part) {
            value = value / 127.5 - 1;
            length += value * value;
        }
        length = std::sqrt(std::max(length, 1e-12));
        for (double& value : part) value = (value / length + 1) * 127.5;
    }
    for (std::size_t i = 0; i < 3; ++i) mean[i] = meaning == ImageMeaning::Light ? valueOf(part[i]) : rounded(part[i]);
    mean[3] = rounded(sum[3] / count);
    return mean;
}

}  // namespace

double lightOf(std::uint8_t value) {
    static const std::array<double, 256> table = lights();
    return table[value];
}

std::uint8_t valueOf(double light) {
    return rounded(255 * (light <= 0.0031308 ? 12.92 * light : 1.055 * std::pow(light, 1 / 2.4) - 0.055));
}

std::optional<ImageInfo> imageInfo(std::string_view bytes) {
    ImageInfo info;
    int channels = 0;
    if (bytes.size() > std::size_t(INT_MAX) ||
        stbi_info_from_memory(start(bytes), int(bytes.size()), &info.width, &info.height, &channels) == 0 ||
        info.width <= 0 || info.height <= 0)
        return std::nullopt;
    info.mimeType = bytes.starts_with("\x89PNG") ? "image/png" : "image/jpeg";
    return info;
}

Image decodeImage(std::string_view bytes, const std::string& what) {
    Image image;
    int channels = 0;
    using Free = decltype([](stbi_uc* data) { stbi_image_free(data); });
    std::unique_ptr<stbi_uc, Free> data;
    if (bytes.size() <= std::size_t(INT_MAX))
        data.reset(stbi_load_from_memory(start(bytes), int(bytes.size()), &image.width, &image.height, &channels, 4));
    if (!data)
        throw MeshError("The image " + what +
                        " is damaged or too large to read; put a sound PNG or JPEG in its place.");
    image.hasAlpha = channels == 2 || channels == 4;
    image.texels.resize(std::size_t(image.width) * std::size_t(image.height));
    std::copy_n(data.get(), image.texels.size() * 4, image.texels.front().data());
    return image;
}

std::string pngOf(const Image& image) {
    std::string bytes;
    const auto append = [](void* to, void* data, int size) {
        static_cast<std::string*>(to)->append(static_cast<const char*>(data), std::size_t(size));
    };
    std::vector<std::uint8_t> rows;
    const int channels = image.hasAlpha ? 4 : 3;
    rows.reserve(image.texels.size() * std::size_t(channels));
    for (const auto& texel : image.texels) rows.insert(rows.end(), texel.begin(), texel.begin() + channels);
    if (stbi_write_png_to_func(append, &bytes, image.width, image.height, channels, rows.data(),
                               image.width * channels) == 0)
        throw MeshError("An image could not be written for want of memory; close other programs and try again.");
    return bytes;
}

Image shrunk(const Image& image, int width, int height, ImageMeaning meaning) {
    Image small{width, height, image.hasAlpha, {}};
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

}  // namespace um
