#pragma once
/// A tree of boxes over the triangles of a surface, for closest-point queries of several points at a time.
#include "base/LaneArray.h"
#include "base/Progress.h"
#include "base/RawVector.h"
#include "mesh/Mesh.h"

#include <span>

namespace um {

struct SurfacePoint {
    TriangleId triangle = 0;
    Vec3d place = Vec3d::Zero();
    double distance = 0;
};

/// Eight triangles to each leaf and eight children to each node, without gaps: children are found by counting. Eight
/// points go down the tree together, each in a lane, in single precision; candidates for
/// the closest triangle are compared in double precision at the end.
class TriangleTree {
public:
    /// Keeps a reference to `mesh`, which must stay as it is and be sound.
    /// @throws Cancelled
    TriangleTree(const Mesh& mesh, const Progress& progress);

    /// The closest point of the surface to each point; of equally close triangles the one with the smallest index.
    /// Faster for points near to each other.
    /// @param points   one to `laneCount`
    /// @param hint     a triangle that may be close
    /// @param closest  as many as points
    void findClosest(std::span<const Vec3d> points, TriangleId hint, std::span<SurfacePoint> closest) const;

    /// For one point; slower than for several together.
    SurfacePoint closestTo(const Vec3d& p, TriangleId hint = 0) const;

    /// All triangles, neighbours together.
    const std::vector<TriangleId>& order() const { return m_order; }

private:
    // Of a node's children, or of a leaf's triangles.
    struct Boxes {
        std::array<LaneArray, 3> low, high;
    };

    // Eight triangles, each in a frame of its own: the first corner is the origin, the second lies at (length, 0), the
    // third at (thirdX, thirdY).
    struct Leaf {
        std::array<LaneArray, 3> origin, xAxis, yAxis;
        LaneArray length, thirdX, thirdY;
        std::array<TriangleId, laneCount> triangles;
    };

    struct Search;
    void fillLeaves(const Progress& progress);
    void fillLeaf(std::size_t leaf);
    void addLevels();
    void look(Search& search) const;
    void settle(Search& search) const;
    SurfacePoint closestOn(TriangleId t, const Vec3d& p) const;
    std::array<Vec3f, 3> corners(TriangleId t) const {
        const Triangle& triangle = m_mesh.triangles[t];
        return {m_mesh.positions[triangle[0]], m_mesh.positions[triangle[1]], m_mesh.positions[triangle[2]]};
    }

    const Mesh& m_mesh;
    std::vector<TriangleId> m_order;
    RawVector<Leaf> m_leaves;
    std::vector<RawVector<Boxes>> m_levels;  // the nodes above the leaves first, the root last
    float m_reach = 0;                       // the largest coordinate
};

}  // namespace um
