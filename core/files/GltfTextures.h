#pragma once
/// The textures of a glTF file: its images as they are, and where materials use them.
#include "files/GltfAccess.h"
#include "files/MeshFile.h"

#include <array>
#include <map>
#include <memory>

namespace um {

/// Catches the bytes of images while a file is parsed.
class GltfImages {
public:
    explicit GltfImages(tinygltf::TinyGLTF& parser);
    GltfImages(const GltfImages&) = delete;
    GltfImages& operator=(const GltfImages&) = delete;

    /// Brings the textures that the materials use into the mesh, whose materials are in the file's order already. What
    /// is left out is noted.
    void bring(const tinygltf::Model& model, MeshFile& result) const;

private:
    static bool keep(tinygltf::Image* image, int number, std::string* error, std::string* warning, int width,
                     int height, const unsigned char* bytes, int size, void* self);

    std::map<int, std::shared_ptr<const std::string>> m_bytes;  // of each image
};

/// How a material moves its textures (KHR_texture_transform), for each set of UVs with v running downwards.
struct TextureMoves {
    std::array<Eigen::Affine2d, 2> ofSet = {Eigen::Affine2d::Identity(), Eigen::Affine2d::Identity()};
    bool differ =
        false;  ///< the textures of a set do not all move alike; the first of them tells, base colour before all
};
TextureMoves textureMoves(const tinygltf::Material& material);

}  // namespace um
