#include "foreign/SceneMesh.h"

#include "base/Error.h"
#include "base/Units.h"
#include "files/TextureFile.h"
#include "mesh/Polygon.h"

#include <assimp/material.h>
#include <assimp/scene.h>
#include <algorithm>
#include <cmath>
#include <map>

namespace um {
namespace {

constexpr int mostDepth = 1000;

std::optional<Texture> textureInside(const aiTexture& inside, const std::string& name) {
    if (inside.mHeight != 0) return std::nullopt;  // bare texels
    std::string bytes(reinterpret_cast<const char*>(inside.pcData), inside.mWidth);
    const auto info = imageInfo(bytes);
    if (!info) return std::nullopt;
    return Texture{name,        info->mimeType, std::make_shared<const std::string>(std::move(bytes)),
                   info->width, info->height,   info->bits};
}

class SceneReader {
public:
    SceneReader(const aiScene& scene, const std::filesystem::path& file) : m_scene(scene), m_file(file) {}

    MeshFile read() {
        takeMaterials();
        for (unsigned i = 0; i < m_scene.mNumMeshes; ++i) {
            const aiMesh& shape = *m_scene.mMeshes[i];
            m_anyNormals = m_anyNormals || shape.HasNormals();
            m_anyUvs = m_anyUvs || shape.HasTextureCoords(0);
            m_anyColors = m_anyColors || shape.HasVertexColors(0);
            m_anySkin = m_anySkin || shape.HasBones();
        }
        if (m_scene.mRootNode != nullptr) takeNode(*m_scene.mRootNode, aiMatrix4x4(), 0);
        if (m_result.mesh.triangles.empty()) fail("holds no surface; export it again, with its meshes.");
        noteWhatIsLost();
        return std::move(m_result);
    }

private:
    [[noreturn]] void fail(const char* what) const { throw FileError(m_file.string() + " " + what); }

    void takeMaterials() {
        for (unsigned i = 0; i < m_scene.mNumMaterials; ++i) {
            const aiMaterial& from = *m_scene.mMaterials[i];
            Material& material = m_result.mesh.materials.emplace_back();
            material.name = from.GetName().C_Str();
            aiColor4D color;
            if (from.Get(AI_MATKEY_BASE_COLOR, color) == aiReturn_SUCCESS ||
                from.Get(AI_MATKEY_COLOR_DIFFUSE, color) == aiReturn_SUCCESS)
                material.baseColor = {within01(color.r), within01(color.g), within01(color.b), 1};
            float opacity = 1;
            if (from.Get(AI_MATKEY_OPACITY, opacity) == aiReturn_SUCCESS && opacity < 1 && opacity > 0) {
                material.baseColor[3] = opacity;
                material.alpha = Material::Alpha::Blend;
            }
            aiString texture;
            if (from.GetTexture(aiTextureType_DIFFUSE, 0, &texture) == aiReturn_SUCCESS && texture.length > 0)
                material.baseColorTexture.texture = textureNamed(texture.C_Str());
        }
    }

    static float within01(float value) { return value >= 0 ? std::min(value, 1.0f) : 0.0f; }

    int textureNamed(const std::string& name) {
        const auto known = m_textures.find(name);
        if (known != m_textures.end()) return known->second;
        std::optional<Texture> texture;
        if (const aiTexture* inside = m_scene.GetEmbeddedTexture(name.c_str())) {
            texture = textureInside(*inside, std::filesystem::path(name).stem().string());
        } else {
            const std::filesystem::path path(name), folder = m_file.parent_path();
            texture = findTexture(m_result, std::vector{folder / path, folder / path.filename()});
        }
        int number = -1;
        if (texture) {
            number = int(m_result.mesh.textures.size());
            m_result.mesh.textures.push_back(std::move(*texture));
        } else if (m_missingTextures++ == 0)
            m_firstMissing = name;
        return m_textures[name] = number;
    }

    void takeNode(const aiNode& node, const aiMatrix4x4& above, int depth) {
        if (depth > mostDepth) fail("has nodes within nodes without end; export it again.");
        const aiMatrix4x4 placed = above * node.mTransformation;
        const auto part = std::uint32_t(m_result.mesh.parts.size());
        bool hasShape = false;
        for (unsigned i = 0; i < node.mNumMeshes; ++i)
            hasShape = takeShape(*m_scene.mMeshes[node.mMeshes[i]], placed, part) || hasShape;
        // The library's own name for the whole says nothing.
        const bool isNamed = node.mParent != nullptr && node.mName.length > 0;
        if (hasShape) m_result.mesh.parts.push_back({isNamed ? node.mName.C_Str() : m_file.stem().string()});
        for (unsigned i = 0; i < node.mNumChildren; ++i) takeNode(*node.mChildren[i], placed, depth + 1);
    }

    // @returns whether it has any triangles
    bool takeShape(const aiMesh& shape, const aiMatrix4x4& placed, std::uint32_t part) {
        Mesh& mesh = m_result.mesh;
        const auto first = std::uint32_t(mesh.positions.size());
        const auto firstTriangle = TriangleId(mesh.triangles.size());
        // A mirrored placing turns triangles inside out.
        const bool isMirrored = placed.Determinant() < 0;
        std::vector<Vec3f> corners;
        std::vector<Triangle> pieces;
        for (unsigned f = 0; f < shape.mNumFaces; ++f) {
            const aiFace& face = shape.mFaces[f];
            if (face.mNumIndices < 3) {
                ++m_notFaces;
                continue;
            }
            corners.clear();
            for (unsigned k = 0; k < face.mNumIndices; ++k) {
                const unsigned index = face.mIndices[k];
                if (index >= shape.mNumVertices) fail("has a face of vertices that are not there; export it again.");
                corners.push_back(vecOf(shape.mVertices[index]));
            }
            pieces.clear();
            triangulatePolygon(corners, pieces);
            m_polygons += face.mNumIndices > 3 ? 1 : 0;
            for (const Triangle& piece : pieces) {
                Triangle& triangle = mesh.triangles.emplace_back();
                for (std::size_t k = 0; k < 3; ++k) triangle[k] = first + face.mIndices[piece[k]];
                if (isMirrored) std::swap(triangle[1], triangle[2]);
            }
        }
        const auto count = std::uint32_t(mesh.triangles.size() - firstTriangle);
        if (count == 0) return false;
        takeVertices(shape, placed);
        const std::size_t lastMaterial = std::max<std::size_t>(1, mesh.materials.size()) - 1;
        mesh.sections.push_back(
            {part, std::uint32_t(std::min<std::size_t>(shape.mMaterialIndex, lastMaterial)), firstTriangle, count});
        return true;
    }

    void takeVertices(const aiMesh& shape, const aiMatrix4x4& placed) {
        Mesh& mesh = m_result.mesh;
        const aiMatrix3x3 turned = aiMatrix3x3(placed).Inverse().Transpose();
        for (unsigned v = 0; v < shape.mNumVertices; ++v) {
            mesh.positions.push_back(vecOf(placed * shape.mVertices[v]));
            if (m_anyNormals) {
                const Vec3f normal = shape.HasNormals() ? vecOf(turned * shape.mNormals[v]) : Vec3f(0, 0, 0);
                const float length = normal.norm();
                mesh.normals.push_back(length > 0 && std::isfinite(length) ? Vec3f(normal / length) : Vec3f(0, 1, 0));
            }
            if (m_anyUvs) {
                const aiVector3D uv = shape.HasTextureCoords(0) ? shape.mTextureCoords[0][v] : aiVector3D();
                mesh.uvs.emplace_back(uv.x, uv.y);
            }
            if (m_anyColors) {
                const aiColor4D color = shape.HasVertexColors(0) ? shape.mColors[0][v] : aiColor4D(1, 1, 1, 1);
                const auto byte = [](float value) { return std::uint8_t(within01(value) * 255 + 0.5f); };
                mesh.colors.push_back({byte(color.r), byte(color.g), byte(color.b), byte(color.a)});
            }
        }
    }

    static Vec3f vecOf(const aiVector3D& v) { return {v.x, v.y, v.z}; }

    void noteWhatIsLost() {
        std::vector<std::string>& notes = m_result.notes;
        if (m_notFaces > 0)
            notes.push_back("Left out " + countOf(m_notFaces, "point or line", "points and lines") + ".");
        if (m_anySkin || m_scene.mNumAnimations > 0)
            notes.emplace_back("Skins and animations are not taken from this format; glTF brings them along.");
        if (m_missingTextures > 0)
            notes.push_back(countOf(m_missingTextures, "texture is", "textures are") +
                            " missing beside the file, or no image (" + m_firstMissing +
                            (m_missingTextures > 1 ? " and others)." : ")."));
        if (m_polygons > 0)
            m_result.remarks.push_back(countOf(m_polygons, "polygon was", "polygons were") + " cut into triangles.");
    }

    const aiScene& m_scene;
    std::filesystem::path m_file;
    MeshFile m_result;
    bool m_anyNormals = false, m_anyUvs = false, m_anyColors = false, m_anySkin = false;
    std::map<std::string, int> m_textures;
    std::string m_firstMissing;
    std::size_t m_missingTextures = 0, m_notFaces = 0, m_polygons = 0;
};

}  // namespace

MeshFile meshOfScene(const aiScene& scene, const std::filesystem::path& file) {
    return SceneReader(scene, file).read();
}

}  // namespace um
