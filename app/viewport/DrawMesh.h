#pragma once
/// A mesh made ready for drawing, away from the window's thread.
#include "base/Progress.h"
#include "measure/Deviation.h"
#include "mesh/Mesh.h"

#include <memory>
#include <span>

namespace um::app {

/// Arrays as the graphics card takes them. Positions and triangles are the mesh's own wherever its vertices can be
/// drawn as they are, so that a large source is in memory once.
struct DrawMesh {
    using PackedNormal = std::array<std::int16_t, 4>;

    std::shared_ptr<const Mesh> mesh;
    Box3f box;
    std::vector<Vec3f> ownPositions;
    bool drawsWedges = false;
    std::vector<PackedNormal> normals;  ///< one for each drawn vertex
    std::vector<Color> colors;          ///< likewise, or empty
    std::vector<float> deviation;       ///< likewise, signed, in the mesh's unit; empty if it was not measured

    std::span<const Vec3f> positions() const {
        return drawsWedges ? std::span(ownPositions) : std::span(mesh->positions);
    }
    std::span<const Triangle> triangles() const {
        return drawsWedges && !mesh->wedges.empty() ? std::span(mesh->wedges) : std::span(mesh->triangles);
    }
};

/// What is shown of a mesh: itself, and a coarse stand-in for while the camera moves, if it is large.
struct Drawable {
    std::shared_ptr<const DrawMesh> full;
    std::shared_ptr<const DrawMesh> standIn;  ///< null where the mesh itself is quick enough
};

/// Triangles up to which a mesh is drawn itself while the camera moves.
constexpr std::size_t standInLimit = 100000;

/// @param evidence  of this mesh as a level, or null
/// @throws Cancelled
Drawable makeDrawable(std::shared_ptr<const Mesh> mesh, const Deviation* evidence, const Progress& progress);

}  // namespace um::app
