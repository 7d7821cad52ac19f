#pragma once
/// A mesh made ready for drawing, away from the window's thread.
#include "base/Progress.h"
#include "mesh/Mesh.h"

#include <memory>
#include <QImage>
#include <span>

namespace um::app {

/// A picture as the graphics card takes it.
struct DrawTexture {
    std::vector<QImage> levels;  ///< from the full size down to one texel; RGBA, not multiplied by alpha
    Texture::Wrap wrapU = Texture::Wrap::Repeat, wrapV = Texture::Wrap::Repeat;

    QColor mean() const { return levels.back().pixelColor(0, 0); }
};

/// Arrays as the graphics card takes them. Positions and triangles are the mesh's own wherever its vertices can be
/// drawn as they are, so that a large source is in memory once.
struct DrawMesh {
    using PackedNormal = std::array<std::int16_t, 4>;

    std::shared_ptr<const Mesh> mesh;
    Box3f box;
    std::vector<Vec3f> landmarks;  ///< of the mesh's positions: these tell where in a picture it is
    std::vector<Vec3f> ownPositions;
    bool drawsWedges = false;
    std::vector<PackedNormal> normals;   ///< one for each drawn vertex
    std::vector<Color> colors;           ///< likewise, or empty
    std::vector<Vec2f> uvs;              ///< likewise, where textures are to be drawn
    std::vector<PackedNormal> tangents;  ///< likewise, where a normal map is to be drawn; the fourth value is the side
    std::vector<std::shared_ptr<const DrawTexture>> textures;  ///< the mesh's, or null where one cannot be drawn
    std::vector<std::uint32_t> order;  ///< of its sections: by material, what light passes through last

    std::span<const Vec3f> positions() const {
        return drawsWedges ? std::span(ownPositions) : std::span(mesh->positions);
    }
    /// Null where a material has none, or one that cannot be drawn.
    const DrawTexture* textureOf(const TextureUse& use) const {
        return use && !use.second && std::size_t(use.texture) < textures.size()
                   ? textures[std::size_t(use.texture)].get()
                   : nullptr;
    }
    std::span<const Triangle> triangles() const {
        return drawsWedges && !mesh->wedges.empty() ? std::span(mesh->wedges) : std::span(mesh->triangles);
    }
};

/// What is shown of a mesh: itself, and a coarse stand-in for while the camera moves, if it is large.
struct Drawable {
    std::shared_ptr<const DrawMesh> full;
    std::shared_ptr<const DrawMesh> standIn;           ///< null where the mesh itself is quick enough
    std::shared_ptr<const std::vector<float>> values;  ///< one for each drawn vertex of `full`, to colour by; or null
};

/// Triangles up to which a mesh is drawn itself while the camera moves.
constexpr std::size_t standInLimit = 100000;

/// Without values to colour by. @throws Cancelled
Drawable makeDrawable(std::shared_ptr<const Mesh> mesh, const Progress& progress);

/// Values of the mesh's vertices for the vertices that are drawn; only where these differ from each other
/// (`drawsWedges`).
std::vector<float> valuesOfDrawn(const DrawMesh& drawn, const std::vector<float>& atVertex);

}  // namespace um::app
