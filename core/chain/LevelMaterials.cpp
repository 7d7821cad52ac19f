#include "chain/LevelMaterials.h"

#include "base/Error.h"
#include "files/Image.h"
#include "measure/TexelUse.h"
#include "mesh/Materials.h"

#include <algorithm>
#include <cmath>
#include <map>

namespace um {
namespace {

constexpr std::array<const char*, 6> keepingNames = {"all", "no fine maps", "base colour", "flat", "one slot", "baked"};

// Places of the surface at which textures are looked up for their mean, over all triangles.
constexpr std::size_t lookups = 200000;

using Light = std::array<double, 4>;

int wrapped(double coordinate, int size, Texture::Wrap wrap) {
    const int i = int(std::floor(std::clamp(coordinate, -1e6, 1e6) * size));
    if (wrap == Texture::Wrap::Clamp) return std::clamp(i, 0, size - 1);
    const int there = wrap == Texture::Wrap::Repeat ? size : 2 * size;
    const int in = ((i % there) + there) % there;
    return in < size ? in : 2 * size - 1 - in;
}

// What a level's materials come to on average, where its triangles show them.
class Means {
public:
    explicit Means(const Mesh& mesh) : m_mesh(mesh) {}

    /// The mean of a material's texture as light (colours) or as it is (data); all 1 where there is none.
    Light of(std::uint32_t material, const TextureUse& use, ImageMeaning meaning) {
        const std::vector<Vec2f>& uvs = use.second ? m_mesh.secondUvs : m_mesh.uvs;
        if (!use || uvs.empty()) return {1, 1, 1, 1};
        const Texture& texture = m_mesh.textures[std::size_t(use.texture)];
        const Image& image = imageOf(use.texture);
        const std::size_t each =
            std::clamp<std::size_t>(lookups / std::max<std::size_t>(1, m_mesh.triangleCount()), 1, 64);
        Light sum{};
        double weights = 0;
        for (const Section& section : m_mesh.sections) {
            if (section.material != material) continue;
            for (std::uint32_t i = 0; i < section.triangleCount; ++i) {
                const TriangleId t = section.firstTriangle + i;
                const Triangle& w = m_mesh.wedgesOf(t);
                const double weight = triangleArea(m_mesh, t) / double(each);
                for (std::size_t k = 0; k < each; ++k) {
                    // Evenly spread places of a triangle (a lattice folded into it).
                    double b = std::fmod(0.5 + 0.7548776662 * double(k), 1),
                           c = std::fmod(0.5 + 0.5698402910 * double(k), 1);
                    if (each == 1) b = c = 1.0 / 3;
                    if (b + c > 1) b = 1 - b, c = 1 - c;
                    const Vec2f uv = float(1 - b - c) * uvs[w[0]] + float(b) * uvs[w[1]] + float(c) * uvs[w[2]];
                    const auto& texel = image.at(wrapped(double(uv.x()), image.width, texture.wrapU),
                                                 wrapped(1 - double(uv.y()), image.height, texture.wrapV));
                    for (std::size_t n = 0; n < 4; ++n)
                        sum[n] += weight * (meaning == ImageMeaning::Light && n < 3 ? lightOf(texel[n])
                                                                                    : double(texel[n]) / 255);
                    weights += weight;
                }
            }
        }
        if (!(weights > 0)) return {1, 1, 1, 1};
        for (double& value : sum) value /= weights;
        return sum;
    }

private:
    const Image& imageOf(int texture) {
        const auto [place, isNew] = m_images.try_emplace(texture);
        const Texture& from = m_mesh.textures[std::size_t(texture)];
        if (isNew) place->second = decodeImage(*from.bytes, from.name);
        return place->second;
    }

    const Mesh& m_mesh;
    std::map<int, Image> m_images;
};

// Numbers in the place of what metalness, roughness and emission had in textures.
void flattenAllButColor(Material& material, std::uint32_t number, Means& means) {
    const Light surface = means.of(number, material.metallicRoughnessTexture, ImageMeaning::Data);
    material.roughness *= float(surface[1]);
    material.metallic *= float(surface[2]);
    const Light glow = means.of(number, material.emissionTexture, ImageMeaning::Light);
    for (std::size_t i = 0; i < 3; ++i) material.emission[i] *= float(glow[i]);
    material.metallicRoughnessTexture = material.emissionTexture = {};
}

void flattenColor(Material& material, std::uint32_t number, Means& means) {
    const Light color = means.of(number, material.baseColorTexture, ImageMeaning::Light);
    for (std::size_t i = 0; i < 4; ++i) material.baseColor[i] *= float(color[i]);
    material.baseColorTexture = {};
}

// All triangles in one section, the flat colours of their materials at their corners.
void joinIntoOneSlot(Mesh& mesh) {
    Material joined;
    joined.name = "One slot";
    joined.baseColor = {1, 1, 1, 1};
    double metallic = 0, roughness = 0, area = 0;
    std::array<double, 3> glow{};
    std::map<std::pair<WedgeId, std::uint32_t>, WedgeId> wedgeNumbers;
    std::vector<std::pair<WedgeId, std::uint32_t>> wedges;
    std::vector<Triangle> corners(mesh.triangleCount());
    for (const Section& section : mesh.sections) {
        const Material& material = mesh.materials[section.material];
        joined.doubleSided = joined.doubleSided || material.doubleSided;
        for (std::uint32_t i = 0; i < section.triangleCount; ++i) {
            const TriangleId t = section.firstTriangle + i;
            const double own = triangleArea(mesh, t);
            metallic += own * double(material.metallic);
            roughness += own * double(material.roughness);
            for (std::size_t k = 0; k < 3; ++k) glow[k] += own * double(material.emission[k]);
            area += own;
            for (std::size_t k = 0; k < 3; ++k) {
                const std::pair key(mesh.wedgesOf(t)[k], section.material);
                const auto [place, isNew] = wedgeNumbers.try_emplace(key, WedgeId(wedges.size()));
                if (isNew) wedges.push_back(key);
                corners[t][k] = place->second;
            }
        }
    }
    if (area > 0) {
        joined.metallic = float(metallic / area);
        joined.roughness = float(roughness / area);
        for (std::size_t k = 0; k < 3; ++k) joined.emission[k] = float(glow[k] / area);
    }
    std::vector<Color> colors(wedges.size());
    std::vector<Vec3f> normals(mesh.normals.empty() ? 0 : wedges.size());
    for (std::size_t w = 0; w < wedges.size(); ++w) {
        const auto& [from, material] = wedges[w];
        const Color before = mesh.colors.empty() ? Color{255, 255, 255, 255} : mesh.colors[from];
        for (std::size_t k = 0; k < 4; ++k)
            colors[w][k] = std::uint8_t(
                std::lround(std::clamp(double(mesh.materials[material].baseColor[k]) * double(before[k]), 0.0, 255.0)));
        if (!normals.empty()) normals[w] = mesh.normals[from];
    }
    mesh.wedges = std::move(corners);
    mesh.colors = std::move(colors);
    mesh.normals = std::move(normals);
    mesh.uvs.clear();
    mesh.secondUvs.clear();
    mesh.wantsTangents = false;
    mesh.materials = {joined};
    mesh.parts = {{mesh.parts.size() == 1 ? mesh.parts.front().name : "All parts"}};
    mesh.sections = {{0, 0, 0, std::uint32_t(mesh.triangleCount())}};
}

ImageMeaning meaningOf(const Mesh& mesh, int texture) {
    for (const Material& material : mesh.materials) {
        if (material.normalTexture.texture == texture) return ImageMeaning::Normals;
        if (material.metallicRoughnessTexture.texture == texture || material.occlusionTexture.texture == texture)
            return ImageMeaning::Data;
    }
    return ImageMeaning::Light;
}

}  // namespace

std::string nameOf(MaterialKeeping keeping) {
    return keepingNames[std::size_t(keeping)];
}

MaterialKeeping parseMaterialKeeping(std::string_view text) {
    for (std::size_t i = 0; i < keepingNames.size(); ++i)
        if (text == keepingNames[i]) return MaterialKeeping(i);
    throw InputError(
        "\"" + std::string(text) +
        "\" is no way to keep materials: there are all, no fine maps, base colour, flat, one slot and baked.");
}

Mesh withMaterials(const Mesh& level, MaterialKeeping keeping, const Progress& progress) {
    Mesh mesh = level;
    if (keeping == MaterialKeeping::All || keeping == MaterialKeeping::Baked) return mesh;
    Means means(level);
    for (std::uint32_t m = 0; m < mesh.materials.size(); ++m) {
        progress.at(double(m) / double(mesh.materials.size()));
        Material& material = mesh.materials[m];
        material.normalTexture = material.occlusionTexture = {};
        if (keeping >= MaterialKeeping::BaseColor) flattenAllButColor(material, m, means);
        if (keeping >= MaterialKeeping::Flat) flattenColor(material, m, means);
    }
    dropUnusedTextures(mesh);
    if (keeping == MaterialKeeping::OneSlot) joinIntoOneSlot(mesh);
    // Without a normal map nothing asks for tangents.
    mesh.wantsTangents = false;
    progress.at(1);
    return mesh;
}

Mesh withFittingTextures(const Mesh& level, double pixelsPerUnit, const Progress& progress) {
    Mesh mesh = level;
    // The finest that any of the materials that use it asks for.
    std::vector<int> enough(mesh.textures.size(), 0);
    for (const TexelUse& use : measureTexelUse(mesh))
        forTextureUses(mesh.materials[use.material], [&](const TextureUse& texture) {
            if (texture)
                enough[std::size_t(texture.texture)] =
                    std::max(enough[std::size_t(texture.texture)], use.enough(pixelsPerUnit));
        });
    for (std::size_t i = 0; i < mesh.textures.size(); ++i) {
        progress.at(double(i) / double(mesh.textures.size()));
        Texture& texture = mesh.textures[i];
        const int longer = std::max(texture.width, texture.height);
        if (enough[i] == 0 || longer <= enough[i]) continue;
        const auto scaled = [&](int size) { return std::max(1, int(std::lround(double(size) * enough[i] / longer))); };
        const auto shrink = [&](const auto& image) {
            const auto small = shrunk(image, scaled(image.width), scaled(image.height), meaningOf(mesh, int(i)));
            texture.width = small.width;
            texture.height = small.height;
            texture.mimeType = "image/png";
            texture.bytes = std::make_shared<const std::string>(pngOf(small));
        };
        if (texture.bits == 16)
            shrink(decodeDeepImage(*texture.bytes, texture.name));
        else
            shrink(decodeImage(*texture.bytes, texture.name));
    }
    progress.at(1);
    return mesh;
}

}  // namespace um
