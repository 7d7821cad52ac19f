#pragma once
/// The closest point of a surface, quickly, for many points.
#include "base/Progress.h"
#include "mesh/Connectivity.h"
#include "mesh/Mesh.h"

#include <memory>

namespace um {

struct SurfacePoint {
    TriangleId triangle = 0;
    Vec3d place = Vec3d::Zero();
    double distance = 0;
};

/// A surface prepared for closest-point questions by a bounding volume hierarchy. Questions may come from any thread.
class ClosestPointFinder {
public:
    /// Keeps a reference to `mesh`, which must stay as it is.
    /// @throws MeshError  if no triangle has an area
    ClosestPointFinder(const Mesh& mesh, const Progress& progress);
    ~ClosestPointFinder();
    ClosestPointFinder(const ClosestPointFinder&) = delete;
    ClosestPointFinder& operator=(const ClosestPointFinder&) = delete;

    /// @param hint  a triangle that may be close: the answer to a question nearby makes this one quicker
    SurfacePoint find(const Vec3d& p, TriangleId hint) const;

    /// +1 if p lies on the outer side of the surface at its closest point, -1 if on the inner side.
    /// Source: Baerentzen & Aanaes 2005, IEEE TVCG 11(3): angle-weighted pseudo-normals.
    double sideOf(const Vec3d& p, const SurfacePoint& closest) const;

    double distanceTo(const Vec3d& p, TriangleId triangle) const;
    const Mesh& mesh() const { return m_mesh; }
    const VertexTriangles& around() const { return m_around; }

private:
    Vec3d corner(TriangleId triangle, std::size_t i) const {
        return m_mesh.positions[m_mesh.triangles[triangle][i]].cast<double>();
    }
    Vec3d pseudoNormal(const SurfacePoint& closest) const;

    struct Scene;
    const Mesh& m_mesh;
    std::unique_ptr<Scene> m_scene;
    VertexTriangles m_around;
};

}  // namespace um
