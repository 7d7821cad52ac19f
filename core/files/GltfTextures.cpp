#include "files/GltfTextures.h"

#include "base/Units.h"
#include "files/Image.h"
#include "files/Text.h"

namespace um {
namespace {

Texture::Wrap wrapOf(int code) {
    return code == TINYGLTF_TEXTURE_WRAP_CLAMP_TO_EDGE     ? Texture::Wrap::Clamp
           : code == TINYGLTF_TEXTURE_WRAP_MIRRORED_REPEAT ? Texture::Wrap::Mirror
                                                           : Texture::Wrap::Repeat;
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
    bool transformed = false;
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
        Texture texture{image.name.empty() ? image.uri : image.name, info->mimeType, bytes->second, info->width,
                        info->height};
        if (from.sampler >= 0 && std::size_t(from.sampler) < model.samplers.size()) {
            texture.wrapU = wrapOf(model.samplers[std::size_t(from.sampler)].wrapS);
            texture.wrapV = wrapOf(model.samplers[std::size_t(from.sampler)].wrapT);
        }
        mesh.textures.push_back(texture);
        return numberOf[index] = int(mesh.textures.size()) - 1;
    };
    const auto use = [&](const auto& from, double strength) {
        transformed = transformed || from.extensions.contains("KHR_texture_transform");
        return TextureUse{bringOne(from.index), from.texCoord == 1, float(strength)};
    };
    for (std::size_t m = 0; m < model.materials.size() && m < mesh.materials.size(); ++m) {
        const tinygltf::Material& from = model.materials[m];
        Material& material = mesh.materials[m];
        material.baseColorTexture = use(from.pbrMetallicRoughness.baseColorTexture, 1);
        material.metallicRoughnessTexture = use(from.pbrMetallicRoughness.metallicRoughnessTexture, 1);
        material.normalTexture = use(from.normalTexture, from.normalTexture.scale);
        material.occlusionTexture = use(from.occlusionTexture, from.occlusionTexture.strength);
        material.emissionTexture = use(from.emissiveTexture, 1);
    }
    if (unreadable > 0)
        result.notes.push_back(formatCount(unreadable) +
                               " textures could not be read as PNG or JPEG, or are missing; they are left out.");
    if (transformed)
        result.notes.push_back("Some textures are moved or scaled by the material; that is not carried along.");
}

}  // namespace um
