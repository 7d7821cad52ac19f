#pragma once
/// What a textured surface looks like at a place: the values of its material there.
#include "files/Image.h"
#include "mesh/Mesh.h"

#include <map>
#include <memory>
#include <variant>

namespace um {

/// The values of the metallic-roughness model at a place. Colours are linear light.
struct SurfaceLook {
    Vec3f baseColor = Vec3f::Zero();
    float opacity = 1;
    float metallic = 0, roughness = 1;
    float occlusion = 1;  ///< 1 where nothing keeps light away
    Vec3f emission = Vec3f::Zero();
    Vec3f normal = Vec3f::UnitZ();  ///< unit length, as the normal map bends it
};

/// A mesh whose textures are decoded, to be asked from any thread.
class SurfaceMaterial {
public:
    /// Keeps a reference to `mesh`, which must stay as it is.
    /// @param notes  gets a sentence for each texture that cannot be read, which counts as grey then
    SurfaceMaterial(const Mesh& mesh, std::vector<std::string>& notes);

    /// @param at  shares of the triangle's corners
    SurfaceLook look(TriangleId triangle, const Vec3f& at) const;
    const Material& materialOf(TriangleId triangle) const {
        return m_mesh.materials[m_mesh.sections[m_sectionOf[triangle]].material];
    }
    std::uint32_t partOf(TriangleId triangle) const { return m_mesh.sections[m_sectionOf[triangle]].part; }
    const Mesh& mesh() const { return m_mesh; }

private:
    /// Nothing for one that is not used or cannot be read.
    using AnyImage = std::variant<std::monostate, Image, DeepImage>;

    /// The texel values around a place, 0 to 1, as they are stored or as light.
    Eigen::Vector4f valueAt(const TextureUse& use, TriangleId triangle, const Vec3f& at, bool asLight) const;

    std::unique_ptr<const Mesh> m_parted;  // with wedges of one side each, where the mesh's are not
    const Mesh& m_mesh;
    std::vector<std::uint16_t> m_sectionOf;
    std::vector<AnyImage> m_images;      // of each texture, with the bits that its file has
    std::vector<Vec3f> m_vertexNormals;  // where the mesh has none of its own
    std::vector<Vec4f> m_tangents;       // where a normal map needs them
};

}  // namespace um
