#include "files/TextureMix.h"

#include <algorithm>
#include <cmath>

namespace um {
namespace {

// The texel of an image at a place of a larger one.
const std::array<std::uint8_t, 4>& texelAt(const Image& image, int x, int y, const Image& larger) {
    return image.at(int(std::int64_t(x) * image.width / larger.width),
                    int(std::int64_t(y) * image.height / larger.height));
}

Image emptyOver(const Image& a, const Image& b) {
    Image image;
    image.width = std::max(a.width, b.width);
    image.height = std::max(a.height, b.height);
    image.texels.reserve(std::size_t(image.width) * std::size_t(image.height));
    return image;
}

}  // namespace

bool looksLikeNormals(const Image& image) {
    if (image.texels.empty()) return false;
    std::array<double, 3> mean{};
    for (const auto& texel : image.texels)
        for (std::size_t i = 0; i < 3; ++i) mean[i] += double(texel[i]);
    for (double& value : mean) value /= double(image.texels.size());
    constexpr double flat = 127.5, mostOff = 40, leastBlue = 180;
    return std::abs(mean[0] - flat) < mostOff && std::abs(mean[1] - flat) < mostOff && mean[2] > leastBlue;
}

Image metalRoughness(const Image* roughness, const Image* metalness) {
    const Image& any = roughness != nullptr ? *roughness : *metalness;
    Image image = emptyOver(any, metalness != nullptr ? *metalness : any);
    const auto valueOf = [&](const Image* from, int x, int y) {
        return from != nullptr ? texelAt(*from, x, y, image)[0] : std::uint8_t(255);
    };
    for (int y = 0; y < image.height; ++y)
        for (int x = 0; x < image.width; ++x)
            image.texels.push_back({255, valueOf(roughness, x, y), valueOf(metalness, x, y), 255});
    return image;
}

Image withOpacity(const Image& color, const Image& opacity) {
    Image image = emptyOver(color, opacity);
    image.hasAlpha = true;
    for (int y = 0; y < image.height; ++y)
        for (int x = 0; x < image.width; ++x) {
            const auto& from = texelAt(color, x, y, image);
            image.texels.push_back({from[0], from[1], from[2], texelAt(opacity, x, y, image)[0]});
        }
    return image;
}

Image channelOf(const Image& image, std::size_t channel, float factor) {
    Image grey{image.width, image.height, false, image.texels};
    for (auto& texel : grey.texels) {
        const auto value = std::uint8_t(std::clamp(std::lround(float(texel[channel]) * factor), 0L, 255L));
        texel = {value, value, value, 255};
    }
    return grey;
}

Material::Alpha alphaKind(const Image& image) {
    constexpr std::uint8_t nearlyGone = 32, nearlyThere = 223;
    constexpr std::size_t oneInBetween = 10;  // of so many
    std::size_t between = 0, notThere = 0;
    for (const auto& texel : image.texels) {
        between += texel[3] > nearlyGone && texel[3] < nearlyThere ? 1 : 0;
        notThere += texel[3] < nearlyThere ? 1 : 0;
    }
    if (notThere == 0) return Material::Alpha::Opaque;
    // The soft edges of leaves are few beside what is gone.
    return between * oneInBetween > image.texels.size() ? Material::Alpha::Blend : Material::Alpha::Mask;
}

}  // namespace um
