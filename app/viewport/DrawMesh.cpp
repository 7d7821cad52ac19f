#include "app/viewport/DrawMesh.h"

#include "draw/Landmarks.h"
#include "mesh/Connectivity.h"
#include "mesh/Tangents.h"
#include "reduce/Cluster.h"

#include <numeric>

namespace um::app {
namespace {

DrawMesh::PackedNormal packed(const Vec3f& normal) {
    const auto component = [](float x) { return std::int16_t(std::clamp(x, -1.0f, 1.0f) * 32767.0f); };
    return {component(normal.x()), component(normal.y()), component(normal.z()), 0};
}

std::shared_ptr<const DrawTexture> makeDrawTexture(const Texture& texture) {
    constexpr int mostTexels = 4096;  // on a side; more would not be seen, and old drivers refuse them
    QImage image = QImage::fromData(reinterpret_cast<const uchar*>(texture.bytes->data()), int(texture.bytes->size()))
                       .convertToFormat(QImage::Format_RGBA8888);
    if (image.isNull()) return nullptr;
    if (std::max(image.width(), image.height()) > mostTexels)
        image = image.scaled(mostTexels, mostTexels, Qt::KeepAspectRatio, Qt::SmoothTransformation);
    auto drawn = std::make_shared<DrawTexture>();
    drawn->wrapU = texture.wrapU;
    drawn->wrapV = texture.wrapV;
    while (image.width() > 1 || image.height() > 1) {
        drawn->levels.push_back(image);
        image = image.scaled(std::max(1, image.width() / 2), std::max(1, image.height() / 2), Qt::IgnoreAspectRatio,
                             Qt::SmoothTransformation);
    }
    drawn->levels.push_back(image);
    return drawn;
}

std::vector<std::shared_ptr<const DrawTexture>> makeDrawTextures(const Mesh& mesh, const Progress& progress) {
    std::vector<std::shared_ptr<const DrawTexture>> made(mesh.textures.size());
    for (const Material& material : mesh.materials)
        forTextureUses(material, [&](const TextureUse& use) {
            progress.check();
            if (use && !use.second && !made[std::size_t(use.texture)])
                made[std::size_t(use.texture)] = makeDrawTexture(mesh.textures[std::size_t(use.texture)]);
        });
    return made;
}

std::shared_ptr<const DrawMesh> makeDrawMesh(std::shared_ptr<const Mesh> mesh,
                                             std::vector<std::shared_ptr<const DrawTexture>> textures,
                                             const Progress& progress) {
    auto drawn = std::make_shared<DrawMesh>();
    drawn->mesh = mesh;
    drawn->box = boundingBox(*mesh);
    drawn->landmarks = findLandmarks(*mesh);
    drawn->textures = std::move(textures);
    const bool hasTextures = !mesh->uvs.empty() && std::any_of(drawn->textures.begin(), drawn->textures.end(),
                                                               [](const auto& texture) { return texture != nullptr; });
    drawn->drawsWedges = !mesh->normals.empty() || !mesh->colors.empty() || hasTextures;
    if (hasTextures) drawn->uvs = mesh->uvs;
    drawn->order.resize(mesh->sections.size());
    std::iota(drawn->order.begin(), drawn->order.end(), 0u);
    // By material, so that they can be drawn together; what light passes through stays in the file's order.
    const auto rank = [&](std::uint32_t section) {
        const std::uint32_t material = mesh->sections[section].material;
        return mesh->materials[material].alpha == Material::Alpha::Blend ? mesh->materials.size() : material;
    };
    std::stable_sort(drawn->order.begin(), drawn->order.end(),
                     [&](std::uint32_t a, std::uint32_t b) { return rank(a) < rank(b); });
    const bool hasNormalMaps =
        hasTextures && !mesh->normals.empty() &&
        std::any_of(mesh->materials.begin(), mesh->materials.end(),
                    [&](const Material& material) { return drawn->textureOf(material.normalTexture) != nullptr; });
    if (hasNormalMaps)
        for (const Vec4f& tangent : makeTangents(*mesh)) {
            drawn->tangents.push_back(packed(tangent.head<3>()));
            drawn->tangents.back()[3] = tangent.w() < 0 ? -32767 : 32767;
        }
    std::vector<Vec3f> smooth;
    if (mesh->normals.empty()) smooth = vertexNormals(*mesh, findVertexTriangles(mesh->triangles, mesh->vertexCount()));
    progress.at(0.5);
    if (!drawn->drawsWedges) {
        drawn->normals.resize(mesh->vertexCount());
        for (std::size_t v = 0; v < smooth.size(); ++v) drawn->normals[v] = packed(smooth[v]);
        return drawn;
    }
    const std::size_t count = mesh->wedgeCount();
    drawn->ownPositions.resize(count);
    drawn->normals.resize(count);
    drawn->colors = mesh->colors;
    for (std::size_t t = 0; t < mesh->triangleCount(); ++t)
        for (std::size_t corner = 0; corner < 3; ++corner) {
            const VertexId v = mesh->triangles[t][corner];
            const WedgeId w = mesh->wedgesOf(TriangleId(t))[corner];
            drawn->ownPositions[w] = mesh->positions[v];
            drawn->normals[w] = packed(mesh->normals.empty() ? smooth[v] : mesh->normals[w]);
        }
    return drawn;
}

}  // namespace

Drawable makeDrawable(std::shared_ptr<const Mesh> mesh, const Progress& progress) {
    Drawable drawable;
    const auto textures = makeDrawTextures(*mesh, progress);
    drawable.full = makeDrawMesh(mesh, textures, progress.span(0, 0.6));
    if (mesh->triangleCount() > standInLimit) {
        auto coarse = std::make_shared<const Mesh>(clusterVertices(*mesh, standInLimit / 2, progress.span(0.6, 0.95)));
        drawable.standIn = makeDrawMesh(std::move(coarse), textures, progress.span(0.95, 1));
    }
    progress.at(1);
    return drawable;
}

std::vector<float> valuesOfDrawn(const DrawMesh& drawn, const std::vector<float>& atVertex) {
    const Mesh& mesh = *drawn.mesh;
    std::vector<float> values(mesh.wedgeCount());
    for (std::size_t t = 0; t < mesh.triangleCount(); ++t)
        for (std::size_t corner = 0; corner < 3; ++corner)
            values[mesh.wedgesOf(TriangleId(t))[corner]] = atVertex[mesh.triangles[t][corner]];
    return values;
}

}  // namespace um::app
