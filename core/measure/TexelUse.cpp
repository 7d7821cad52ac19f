#include "measure/TexelUse.h"

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

// How many texels a unit of length covers along the direction of most and of fewest of them.
struct Density {
    double area = 0, most = 0, fewest = 0;
    double mean() const { return std::sqrt(most * fewest); }
};

Density densityOf(const Mesh& mesh, TriangleId t, const Largest& largest) {
    const Triangle &triangle = mesh.triangles[t], &wedges = mesh.wedgesOf(t);
    const Vec3d a = mesh.positions[triangle[0]].cast<double>();
    const Vec3d ab = mesh.positions[triangle[1]].cast<double>() - a;
    const Vec3d ac = mesh.positions[triangle[2]].cast<double>() - a;
    Density density;
    density.area = ab.cross(ac).norm() / 2;
    if (!(density.area > 0)) return density;
    const Eigen::Vector2d size(largest.texture->width, largest.texture->height);
    const auto texel = [&](std::size_t corner) {
        return Eigen::Vector2d((*largest.uvs)[wedges[corner]].cast<double>().cwiseProduct(size));
    };
    // In axes of the triangle's own plane, of which the first runs along ab.
    const double length = ab.norm(), along = ab.dot(ac) / length, up = 2 * density.area / length;
    Eigen::Matrix2d places, texels;
    places << length, along, 0, up;
    texels.col(0) = texel(1) - texel(0);
    texels.col(1) = texel(2) - texel(0);
    const Eigen::Matrix2d map = texels * places.inverse();
    // Its singular values, from what does not depend on the axes.
    const double squares = map.squaredNorm(), product = std::abs(map.determinant());
    const double sum = std::sqrt(squares + 2 * product), gap = std::sqrt(std::max(0.0, squares - 2 * product));
    density.most = (sum + gap) / 2;
    density.fewest = (sum - gap) / 2;
    return density;
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
                const Density density = densityOf(mesh, section.firstTriangle + i, largest);
                if (!(density.area > 0)) continue;
                places.emplace_back(float(density.mean()), float(density.area));
                area += density.area;
                if (density.most > mostStretch * density.fewest) stretched += density.area;
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
            const Density density = densityOf(mesh, t, largest);
            for (const WedgeId w : mesh.wedgesOf(t)) {
                texels[w] += float(density.area * density.mean());
                areas[w] += float(density.area);
            }
        }
    }
    for (std::size_t w = 0; w < count; ++w) texels[w] = areas[w] > 0 ? texels[w] / areas[w] : 0;
    return texels;
}

}  // namespace um
