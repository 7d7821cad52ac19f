#include "measure/TexelUse.h"

#include "base/Units.h"
#include "mesh/UvMap.h"

#include <algorithm>
#include <cmath>
#include <numeric>

namespace um {
namespace {

constexpr double mostStretch = 2;

// The largest texture of a material and the UVs that it goes by; null where there is none.
struct Largest {
    const Texture* texture = nullptr;
    const std::vector<Vec2f>* uvs = nullptr;
};

Largest largestOf(const Mesh& mesh, const Material& material) {
    Largest largest;
    forTextureUses(material, [&](const TextureUse& use) {
        if (!use) return;
        const Texture& texture = mesh.textures[std::size_t(use.texture)];
        const std::vector<Vec2f>& uvs = use.second ? mesh.secondUvs : mesh.uvs;
        const auto texels = [](const Texture& t) { return double(t.width) * t.height; };
        if (uvs.empty() || !(texels(texture) > 0)) return;
        if (largest.texture == nullptr || texels(texture) > texels(*largest.texture)) largest = {&texture, &uvs};
    });
    return largest;
}

UvScale scaleOf(const Mesh& mesh, TriangleId t, const Largest& largest) {
    return uvScale(mesh, t, *largest.uvs, {largest.texture->width, largest.texture->height});
}

double meanOf(const UvScale& scale) {
    return std::sqrt(scale.most * scale.least);
}

}  // namespace

int TexelUse::enough(double pixelsPerUnit) const {
    if (!(density > 0) || !(pixelsPerUnit > 0)) return 0;
    const double wanted = std::max(width, height) * pixelsPerUnit / density;
    return 1 << std::clamp(int(std::ceil(std::log2(wanted) - 1e-6)), 0, 20);
}

std::vector<TexelUse> measureTexelUse(const Mesh& mesh) {
    std::vector<TexelUse> result;
    for (std::uint32_t m = 0; m < mesh.materials.size(); ++m) {
        const Largest largest = largestOf(mesh, mesh.materials[m]);
        if (largest.texture == nullptr) continue;
        std::vector<std::pair<float, float>> places;  // density and area
        double area = 0, stretched = 0;
        for (const Section& section : mesh.sections) {
            if (section.material != m) continue;
            for (std::uint32_t i = 0; i < section.triangleCount; ++i) {
                const UvScale scale = scaleOf(mesh, section.firstTriangle + i, largest);
                if (!(scale.area > 0)) continue;
                places.emplace_back(float(meanOf(scale)), float(scale.area));
                area += scale.area;
                if (scale.most > mostStretch * (1 + 1e-6) * scale.least) stretched += scale.area;
            }
        }
        if (places.empty()) continue;
        std::sort(places.begin(), places.end());
        const auto at = [&](double share) {
            double before = 0;
            for (const auto& [density, own] : places)
                if ((before += double(own)) >= share * area) return double(density);
            return double(places.back().first);
        };
        result.push_back(
            {m, largest.texture->width, largest.texture->height, at(0.5), at(0.05), at(0.95), stretched / area});
    }
    return result;
}

std::vector<float> texelsPerUnit(const Mesh& mesh) {
    const std::size_t count = mesh.wedges.empty() ? mesh.vertexCount() : mesh.wedgeCount();
    std::vector<float> texels(count, 0), areas(count, 0);
    for (const Section& section : mesh.sections) {
        const Largest largest = largestOf(mesh, mesh.materials[section.material]);
        if (largest.texture == nullptr) continue;
        for (std::uint32_t i = 0; i < section.triangleCount; ++i) {
            const TriangleId t = section.firstTriangle + i;
            const UvScale scale = scaleOf(mesh, t, largest);
            for (const WedgeId w : mesh.wedgesOf(t)) {
                texels[w] += float(scale.area * meanOf(scale));
                areas[w] += float(scale.area);
            }
        }
    }
    for (std::size_t w = 0; w < count; ++w) texels[w] = areas[w] > 0 ? texels[w] / areas[w] : 0;
    return texels;
}

std::vector<Finding> findLargeTextures(const Mesh& mesh, const std::vector<TexelUse>& uses, double pixelsPerUnit) {
    std::vector<Finding> findings;
    for (const TexelUse& use : uses) {
        const int size = std::max(use.width, use.height), enough = use.enough(pixelsPerUnit);
        if (enough == 0 || size < 4 * enough) continue;
        findings.push_back({Fault::LargeTexture,
                            1,
                            0,
                            {},
                            mesh.materials[use.material].name + ": a texture of " + formatCount(std::size_t(size)) +
                                " px where " + formatCount(std::size_t(enough)) + " px would do from here"});
    }
    return findings;
}

}  // namespace um
