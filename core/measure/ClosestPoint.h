#pragma once
/// Closest-point queries on a surface.
#include "mesh/Connectivity.h"
#include "mesh/TriangleTree.h"

namespace um {

/// A surface prepared for closest-point queries from any thread.
class ClosestPointFinder {
public:
    /// Keeps a reference to `mesh`, which must stay as it is.
    /// @throws MeshError  if no triangle has an area
    ClosestPointFinder(const Mesh& mesh, const Progress& progress);

    /// The best number of points for one query.
    static constexpr std::size_t atOnce = laneCount;

    /// @param hint  a triangle that may be close, such as the result for a point nearby: makes the query faster
    SurfacePoint find(const Vec3d& p, TriangleId hint) const { return m_tree.closestTo(p, hint); }

    /// The same for up to `atOnce` points: several times as fast where they are near to each other.
    void find(std::span<const Vec3d> points, TriangleId hint, std::span<SurfacePoint> closest) const {
        m_tree.findClosest(points, hint, closest);
    }

    /// +1 if p lies on the outer side of the surface at its closest point, -1 if on the inner side.
    /// Source: Baerentzen & Aanaes 2005, IEEE TVCG 11(3): angle-weighted pseudo-normals.
    double sideOf(const Vec3d& p, const SurfacePoint& closest) const;

    double distanceTo(const Vec3d& p, TriangleId triangle) const;
    const Mesh& mesh() const { return m_mesh; }
    const VertexTriangles& around() const { return m_around; }

    /// All triangles, neighbours together.
    const std::vector<TriangleId>& triangleOrder() const { return m_tree.order(); }

    /// All vertices, neighbours together.
    std::vector<VertexId> vertexOrder() const;

private:
    Vec3d corner(TriangleId triangle, std::size_t i) const {
        return m_mesh.positions[m_mesh.triangles[triangle][i]].cast<double>();
    }
    Vec3d pseudoNormal(const SurfacePoint& closest) const;

    const Mesh& m_mesh;
    VertexTriangles m_around;
    TriangleTree m_tree;
};

}  // namespace um
