#include "bake/AlikeMaterials.h"

#include "base/Error.h"
#include "files/Image.h"
#include "mesh/Materials.h"

#include <cmath>
#include <map>
#include <optional>

namespace um {
namespace {

constexpr float mostOff = 0.02f;
constexpr double mostOffOfTexels = 3;  // of 255, the mean over all of them
constexpr double mostOffOfMeans = 12;  // likewise, of the mean and the standard deviation of each channel

// What a picture is like on the whole.
struct Tone {
    std::array<double, 4> mean{}, spread{};
};

Tone toneOf(const Image& image) {
    Tone tone;
    const auto count = double(image.texels.size());
    for (std::size_t k = 0; k < 4; ++k) {
        double sum = 0, squares = 0;
        for (const auto& texel : image.texels) {
            sum += texel[k];
            squares += double(texel[k]) * texel[k];
        }
        tone.mean[k] = sum / count;
        tone.spread[k] = std::sqrt(std::max(0.0, squares / count - tone.mean[k] * tone.mean[k]));
    }
    return tone;
}

bool areTonesAlike(const Image& a, const Image& b) {
    const Tone x = toneOf(a), y = toneOf(b);
    for (std::size_t k = 0; k < 4; ++k)
        if (std::abs(x.mean[k] - y.mean[k]) > mostOffOfMeans || std::abs(x.spread[k] - y.spread[k]) > mostOffOfMeans)
            return false;
    return true;
}

bool areTexelsAlike(const Image& a, const Image& b) {
    if (a.width != b.width || a.height != b.height) return false;
    double sum = 0;
    for (std::size_t i = 0; i < a.texels.size(); ++i)
        for (std::size_t k = 0; k < 4; ++k) sum += std::abs(int(a.texels[i][k]) - int(b.texels[i][k]));
    return sum / (4 * double(a.texels.size())) < mostOffOfTexels;
}

class Comparison {
public:
    Comparison(const Mesh& mesh, Alikeness alikeness)
        : m_mesh(mesh), m_alikeness(alikeness), m_images(mesh.textures.size()) {}

    bool areAlike(const Material& a, const Material& b) {
        if (a.alpha != b.alpha || a.doubleSided != b.doubleSided) return false;
        if (a.alpha == Material::Alpha::Mask && isOff(a.alphaCutoff, b.alphaCutoff)) return false;
        if (isOff(a.metallic, b.metallic) || isOff(a.roughness, b.roughness)) return false;
        for (std::size_t i = 0; i < 4; ++i)
            if (isOff(a.baseColor[i], b.baseColor[i])) return false;
        for (std::size_t i = 0; i < 3; ++i)
            if (isOff(a.emission[i], b.emission[i])) return false;
        std::vector<TextureUse> uses;
        forTextureUses(a, [&](const TextureUse& use) { uses.push_back(use); });
        bool isAlike = true;
        std::size_t i = 0;
        forTextureUses(b, [&](const TextureUse& use) { isAlike = isAlike && areUsesAlike(uses[i++], use); });
        return isAlike;
    }

private:
    static bool isOff(float a, float b) { return !(std::abs(a - b) <= mostOff); }

    bool areUsesAlike(const TextureUse& a, const TextureUse& b) {
        if (!a && !b) return true;
        if (!a || !b || a.second != b.second || isOff(a.strength, b.strength)) return false;
        return a.texture == b.texture || areImagesAlike(std::size_t(a.texture), std::size_t(b.texture));
    }

    bool areImagesAlike(std::size_t a, std::size_t b) {
        const Texture &first = m_mesh.textures[a], &second = m_mesh.textures[b];
        if (first.wrapU != second.wrapU || first.wrapV != second.wrapV) return false;
        if (first.bytes && second.bytes && *first.bytes == *second.bytes) return true;
        const auto [known, isNew] = m_known.try_emplace(std::minmax(a, b), false);
        if (!isNew) return known->second;
        const Image *x = imageOf(a), *y = imageOf(b);
        if (x == nullptr || y == nullptr || x->texels.empty() || y->texels.empty()) return false;
        return known->second = m_alikeness == Alikeness::Nearly ? areTexelsAlike(*x, *y) : areTonesAlike(*x, *y);
    }

    const Image* imageOf(std::size_t texture) {
        std::optional<Image>& image = m_images[texture];
        if (!image) {
            try {
                image = decodeImage(*m_mesh.textures[texture].bytes, m_mesh.textures[texture].name);
            } catch (const Error&) {
                return nullptr;
            }
        }
        return &*image;
    }

    const Mesh& m_mesh;
    Alikeness m_alikeness;
    std::vector<std::optional<Image>> m_images;
    std::map<std::pair<std::size_t, std::size_t>, bool> m_known;
};

}  // namespace

std::vector<std::vector<std::uint32_t>> findAlikeMaterials(const Mesh& mesh, Alikeness alikeness,
                                                           const Progress& progress) {
    const std::vector<std::uint8_t> isUsed = usedMaterials(mesh);
    Comparison comparison(mesh, alikeness);
    std::vector<std::vector<std::uint32_t>> groups;
    for (std::uint32_t m = 0; m < mesh.materials.size(); ++m) {
        progress.at(double(m) / double(mesh.materials.size()));
        if (isUsed[m] == 0) continue;
        const auto group = std::find_if(groups.begin(), groups.end(), [&](const std::vector<std::uint32_t>& one) {
            return comparison.areAlike(mesh.materials[one.front()], mesh.materials[m]);
        });
        if (group != groups.end())
            group->push_back(m);
        else
            groups.push_back({m});
    }
    std::erase_if(groups, [](const std::vector<std::uint32_t>& group) { return group.size() < 2; });
    progress.at(1);
    return groups;
}

void joinAlikeMaterials(Mesh& mesh, const std::vector<std::vector<std::uint32_t>>& groups) {
    std::vector<std::uint32_t> standIn(mesh.materials.size());
    for (std::uint32_t m = 0; m < standIn.size(); ++m) standIn[m] = m;
    for (const std::vector<std::uint32_t>& group : groups)
        for (const std::uint32_t m : group) standIn[m] = group.front();
    std::vector<std::uint32_t> chosen;
    for (const std::uint16_t s : sectionOfTriangles(mesh)) chosen.push_back(standIn[mesh.sections[s].material]);
    groupByMaterial(mesh, chosen, false);
}

Mesh withStandIns(Mesh mesh, const std::vector<std::vector<std::uint32_t>>& groups) {
    if (!groups.empty()) joinAlikeMaterials(mesh, groups);
    return mesh;
}

}  // namespace um
