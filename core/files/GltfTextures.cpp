#include "files/GltfTextures.h"

#include "base/Units.h"
#include "files/Image.h"
#include "files/Text.h"

#include <utility>

namespace um {
namespace {

Texture::Wrap wrapOf(int code) {
    return code == TINYGLTF_TEXTURE_WRAP_CLAMP_TO_EDGE     ? Texture::Wrap::Clamp
           : code == TINYGLTF_TEXTURE_WRAP_MIRRORED_REPEAT ? Texture::Wrap::Mirror
                                                           : Texture::Wrap::Repeat;
}

const tinygltf::Value* transformOf(const auto& texture) {
    const auto found = texture.extensions.find("KHR_texture_transform");
    return found != texture.extensions.end() && found->second.IsObject() ? &found->second : nullptr;
}

// The set of UVs that a texture goes by.
int setOf(const auto& texture) {
    const tinygltf::Value* transform = transformOf(texture);
    if (transform != nullptr && transform->Get("texCoord").IsInt()) return transform->Get("texCoord").GetNumberAsInt();
    return texture.texCoord;
}

// Scaled, then turned, then moved.
Eigen::Affine2d moveOf(const auto& texture) {
    Eigen::Affine2d move = Eigen::Affine2d::Identity();
    const tinygltf::Value* transform = transformOf(texture);
    if (transform == nullptr) return move;
    const auto pair = [&](const char* name, const Vec2d& usual) {
        const tinygltf::Value& value = transform->Get(name);
        if (!value.IsArray() || value.ArrayLen() != 2 || !value.Get(0).IsNumber() || !value.Get(1).IsNumber())
            return usual;
        return Vec2d(value.Get(0).GetNumberAsDouble(), value.Get(1).GetNumberAsDouble());
    };
    const tinygltf::Value& turn = transform->Get("rotation");
    // Counter-clockwise as the picture is seen, with v running downwards.
    move = Eigen::Translation2d(pair("offset", Vec2d::Zero())) *
           Eigen::Rotation2Dd(turn.IsNumber() ? -turn.GetNumberAsDouble() : 0) *
           Eigen::Scaling(pair("scale", Vec2d::Ones()));
    return move;
}

}  // namespace

GltfImages::GltfImages(tinygltf::TinyGLTF& parser) {
    parser.SetImageLoader(keep, this);
}

bool GltfImages::keep(tinygltf::Image*, int number, std::string*, std::string*, int, int, const unsigned char* bytes,
                      int size, void* self) {
    if (size > 0)
        static_cast<GltfImages*>(self)->m_bytes[number] =
            std::make_shared<const std::string>(reinterpret_cast<const char*>(bytes), std::size_t(size));
    return true;
}

void GltfImages::bring(const tinygltf::Model& model, MeshFile& result) const {
    Mesh& mesh = result.mesh;
    std::map<int, int> numberOf;  // in the mesh, of each texture of the file; -1 for what cannot be read
    std::size_t unreadable = 0;
    bool differ = false;
    const auto bringOne = [&](int index) {
        if (index < 0 || std::size_t(index) >= model.textures.size()) return -1;
        const auto known = numberOf.find(index);
        if (known != numberOf.end()) return known->second;
        const tinygltf::Texture& from = model.textures[std::size_t(index)];
        const auto bytes = m_bytes.find(from.source);
        const auto info = bytes != m_bytes.end() ? imageInfo(*bytes->second) : std::nullopt;
        if (!info) {
            ++unreadable;
            return numberOf[index] = -1;
        }
        const tinygltf::Image& image = model.images[std::size_t(from.source)];
        Texture texture{image.name.empty() ? std::filesystem::path(nameOfUri(image.uri)).stem().string() : image.name,
                        info->mimeType,
                        bytes->second,
                        info->width,
                        info->height,
                        info->bits};
        if (from.sampler >= 0 && std::size_t(from.sampler) < model.samplers.size()) {
            texture.wrapU = wrapOf(model.samplers[std::size_t(from.sampler)].wrapS);
            texture.wrapV = wrapOf(model.samplers[std::size_t(from.sampler)].wrapT);
        }
        mesh.textures.push_back(texture);
        return numberOf[index] = int(mesh.textures.size()) - 1;
    };
    const auto use = [&](const auto& from, double strength) {
        return TextureUse{bringOne(from.index), setOf(from) == 1, float(strength)};
    };
    for (std::size_t m = 0; m < model.materials.size() && m < mesh.materials.size(); ++m) {
        const tinygltf::Material& from = model.materials[m];
        differ = differ || textureMoves(from).differ;
        Material& material = mesh.materials[m];
        material.baseColorTexture = use(from.pbrMetallicRoughness.baseColorTexture, 1);
        material.metallicRoughnessTexture = use(from.pbrMetallicRoughness.metallicRoughnessTexture, 1);
        material.normalTexture = use(from.normalTexture, from.normalTexture.scale);
        material.occlusionTexture = use(from.occlusionTexture, from.occlusionTexture.strength);
        material.emissionTexture = use(from.emissiveTexture, 1);
    }
    if (unreadable > 0)
        result.notes.push_back(countOf(unreadable, "texture is", "textures are") +
                               " missing, or no PNG or JPEG, and left out.");
    if (differ)
        result.notes.push_back(
            "Some materials move their textures each in another way; all go by the base colour's, or the first one's.");
}

TextureMoves textureMoves(const tinygltf::Material& material) {
    TextureMoves moves;
    std::array<bool, 2> isKnown = {false, false};
    const auto take = [&](const auto& texture) {
        const int set = setOf(texture);
        if (texture.index < 0 || set < 0 || set > 1) return;
        const Eigen::Affine2d move = moveOf(texture);
        Eigen::Affine2d& known = moves.ofSet[std::size_t(set)];
        if (!std::exchange(isKnown[std::size_t(set)], true))
            known = move;
        else if (!known.isApprox(move, 1e-6))
            moves.differ = true;
    };
    take(material.pbrMetallicRoughness.baseColorTexture);
    take(material.normalTexture);
    take(material.pbrMetallicRoughness.metallicRoughnessTexture);
    take(material.occlusionTexture);
    take(material.emissiveTexture);
    return moves;
}

}  // namespace um
