#pragma once
/// What a polish goes by: a source made ready for it, and how a level came out of the source.
#include "mesh/Mesh.h"
#include "mesh/SurfaceWalk.h"
#include "reduce/WorkingMesh.h"

namespace um {

/// Two vertices that a protected line joins.
using LineEdge = std::pair<VertexId, VertexId>;

/// What a polish needs to know of a source, whatever the level.
struct PolishSource {
    /// Keeps a reference to `source`.
    /// @throws Cancelled
    PolishSource(const Mesh& source, const Progress& progress);

    const Mesh& mesh;
    VertexTriangles around;
    std::vector<Sphere> spheres;  ///< around each triangle

    /// The closest place to p, from a triangle that is known to be near. A walk that ends farther off than that may be
    /// stuck behind a fold: then all around is searched.
    Closest closest(const Vec3d& p, TriangleId near, double farSquared) const;

    Vec3d placeOf(const Closest& closest) const {
        const auto [a, b, c] = cornersOf(closest.triangle);
        return closest.at.of(a, b, c);
    }

    /// Unit length; zero where the triangle has no area.
    Vec3d normalOf(TriangleId t) const {
        const auto [a, b, c] = cornersOf(t);
        return areaNormal(a, b, c).normalized();
    }

    std::array<Vec3d, 3> cornersOf(TriangleId t) const {
        const auto place = [&](std::size_t i) { return Vec3d(mesh.positions[mesh.triangles[t][i]].cast<double>()); };
        return {place(0), place(1), place(2)};
    }
};

/// How a level came out of its source.
struct Provenance {
    std::vector<VertexId> destinations;  ///< for each vertex of the source, where in the level it went, or `noIndex`
    std::vector<Kind> levelKinds;        ///< for each vertex of the level
    std::vector<LineEdge> sourceLines, levelLines;
    std::size_t levelWedges = 0;
};

}  // namespace um
