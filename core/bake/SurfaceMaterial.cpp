#include "bake/SurfaceMaterial.h"

#include "base/Error.h"
#include "base/Parallel.h"
#include "mesh/Connectivity.h"
#include "mesh/Tangents.h"

#include <cmath>
#include <limits>

namespace um {
namespace {

using Value = Eigen::Vector4f;

// The light that each value of so many bits stands for.
template <class Number>
const std::vector<float>& lightTable() {
    static const std::vector<float> table = [] {
        constexpr std::size_t last = std::numeric_limits<Number>::max();
        std::vector<float> lights(last + 1);
        for (std::size_t i = 0; i <= last; ++i) lights[i] = float(decodedLight(double(i) / double(last)));
        return lights;
    }();
    return table;
}

// The texel that stands for one beyond the rim.
int wrapped(int i, int size, Texture::Wrap wrap) {
    if (wrap == Texture::Wrap::Clamp) return std::clamp(i, 0, size - 1);
    const int period = wrap == Texture::Wrap::Mirror ? 2 * size : size;
    const int within = ((i % period) + period) % period;
    return within < size ? within : period - 1 - within;
}

// The mean of the four texels around a place, by how near they are.
template <class Number>
Value meanAround(const ImageOf<Number>& image, const Texture& texture, const Vec2f& uv, bool asLight) {
    constexpr float full = std::numeric_limits<Number>::max();
    const std::vector<float>& light = lightTable<Number>();
    // Beyond a billion texels a float no longer tells one from the next.
    const double x = std::clamp(double(uv.x()) * image.width, -1e9, 1e9) - 0.5;
    const double y = std::clamp((1 - double(uv.y())) * image.height, -1e9, 1e9) - 0.5;
    const double left = std::floor(x), top = std::floor(y);
    const auto right = float(x - left), down = float(y - top);
    Value sum = Value::Zero();
    for (int dy = 0; dy < 2; ++dy)
        for (int dx = 0; dx < 2; ++dx) {
            const auto& texel = image.at(wrapped(int(left) + dx, image.width, texture.wrapU),
                                         wrapped(int(top) + dy, image.height, texture.wrapV));
            const float weight = (dx == 0 ? 1 - right : right) * (dy == 0 ? 1 - down : down);
            for (int c = 0; c < 3; ++c)
                sum[c] += weight * (asLight ? light[texel[std::size_t(c)]] : float(texel[std::size_t(c)]) / full);
            sum[3] += weight * float(texel[3]) / full;
        }
    return sum;
}

template <class T>
T mixed(const std::vector<T>& values, const Triangle& corners, const Vec3f& at) {
    return at[0] * values[corners[0]] + at[1] * values[corners[1]] + at[2] * values[corners[2]];
}

std::unique_ptr<const Mesh> parted(const Mesh& mesh) {
    const bool hasNormalMap = std::any_of(mesh.materials.begin(), mesh.materials.end(),
                                          [](const Material& material) { return bool(material.normalTexture); });
    if (!hasNormalMap || mesh.uvs.empty() || !hasMirroredWedges(mesh)) return nullptr;
    auto copy = std::make_unique<Mesh>(mesh);
    partMirroredWedges(*copy);
    return copy;
}

}  // namespace

SurfaceMaterial::SurfaceMaterial(const Mesh& mesh, std::vector<std::string>& notes)
    : m_parted(parted(mesh)),
      m_mesh(m_parted ? *m_parted : mesh),
      m_sectionOf(sectionOfTriangles(mesh)),
      m_images(mesh.textures.size()) {
    std::vector<std::uint8_t> isUsed(mesh.textures.size(), 0);
    bool hasNormalMap = false;
    for (const Material& material : mesh.materials) {
        hasNormalMap = hasNormalMap || material.normalTexture;
        forTextureUses(material, [&](const TextureUse& use) {
            if (use) isUsed[std::size_t(use.texture)] = 1;
        });
    }
    std::vector<std::string> problems(mesh.textures.size());
    parallelFor(
        mesh.textures.size(),
        [&](std::size_t i) {
            if (isUsed[i] == 0) return;
            try {
                const Texture& texture = mesh.textures[i];
                if (texture.bits == 16)
                    m_images[i] = decodeDeepImage(*texture.bytes, texture.name);
                else
                    m_images[i] = decodeImage(*texture.bytes, texture.name);
            } catch (const MeshError& error) {
                problems[i] = error.what();
            }
        },
        1);
    for (const std::string& problem : problems)
        if (!problem.empty()) notes.push_back(problem + " It counts as grey.");
    if (mesh.normals.empty())
        m_vertexNormals = vertexNormals(mesh, findVertexTriangles(mesh.triangles, mesh.vertexCount()));
    else if (hasNormalMap && !mesh.uvs.empty())
        m_tangents = makeTangents(m_mesh);
}

Value SurfaceMaterial::valueAt(const TextureUse& use, TriangleId triangle, const Vec3f& at, bool asLight) const {
    const std::vector<Vec2f>& uvs = use.second ? m_mesh.secondUvs : m_mesh.uvs;
    const auto number = std::size_t(use.texture);
    const Value grey(0.5f, 0.5f, 0.5f, 1);
    if (uvs.empty()) return grey;
    const Vec2f uv = mixed(uvs, m_mesh.wedgesOf(triangle), at);
    if (!uv.allFinite()) return grey;
    const Texture& texture = m_mesh.textures[number];
    if (const auto* image = std::get_if<Image>(&m_images[number])) return meanAround(*image, texture, uv, asLight);
    if (const auto* image = std::get_if<DeepImage>(&m_images[number])) return meanAround(*image, texture, uv, asLight);
    return grey;
}

SurfaceLook SurfaceMaterial::look(TriangleId triangle, const Vec3f& at) const {
    const Material& material = materialOf(triangle);
    const Triangle& wedges = m_mesh.wedgesOf(triangle);
    SurfaceLook look;
    look.baseColor = {material.baseColor[0], material.baseColor[1], material.baseColor[2]};
    look.opacity = material.baseColor[3];
    if (material.baseColorTexture) {
        const Value value = valueAt(material.baseColorTexture, triangle, at, true);
        look.baseColor = look.baseColor.cwiseProduct(value.head<3>());
        look.opacity *= value[3];
    }
    if (!m_mesh.colors.empty()) {
        Value color = Value::Zero();
        for (std::size_t k = 0; k < 3; ++k)
            for (int c = 0; c < 4; ++c) color[c] += at[long(k)] * float(m_mesh.colors[wedges[k]][std::size_t(c)]) / 255;
        look.baseColor = look.baseColor.cwiseProduct(color.head<3>());
        look.opacity *= color[3];
    }
    if (material.alpha == Material::Alpha::Opaque) look.opacity = 1;
    if (material.alpha == Material::Alpha::Mask) look.opacity = look.opacity >= material.alphaCutoff ? 1.0f : 0.0f;
    look.metallic = material.metallic;
    look.roughness = material.roughness;
    if (material.metallicRoughnessTexture) {
        const Value value = valueAt(material.metallicRoughnessTexture, triangle, at, false);
        look.roughness *= value[1];
        look.metallic *= value[2];
    }
    if (material.occlusionTexture) {
        const float stored = valueAt(material.occlusionTexture, triangle, at, false)[0];
        look.occlusion = 1 + material.occlusionTexture.strength * (stored - 1);
    }
    look.emission = {material.emission[0], material.emission[1], material.emission[2]};
    if (material.emissionTexture)
        look.emission = look.emission.cwiseProduct(valueAt(material.emissionTexture, triangle, at, true).head<3>());
    Vec3f normal = m_mesh.normals.empty() ? mixed(m_vertexNormals, m_mesh.triangles[triangle], at)
                                          : mixed(m_mesh.normals, wedges, at);
    const float length = normal.norm();
    normal = length > 1e-12f ? Vec3f(normal / length) : Vec3f(Vec3f::UnitZ());
    look.normal = normal;
    if (material.normalTexture && !m_tangents.empty()) {
        const Value value = valueAt(material.normalTexture, triangle, at, false);
        const Vec4f tangent = mixed(m_tangents, wedges, at);
        const Vec3f along = tangent.head<3>().normalized();
        const float side = m_tangents[wedges[0]].w();
        const float strength = material.normalTexture.strength;
        // Interpolated and brought to unit length, but not made square again: as renderers do.
        const Vec3f bent = strength * (2 * value[0] - 1) * along +
                           strength * (2 * value[1] - 1) * side * normal.cross(along) + (2 * value[2] - 1) * normal;
        if (const float bentLength = bent.norm(); bentLength > 1e-12f) look.normal = bent / bentLength;
    }
    return look;
}

}  // namespace um
