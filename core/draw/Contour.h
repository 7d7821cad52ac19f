#pragma once
/// What a mesh covers of a picture, found from its contour alone: the edges between triangles that face the viewer and
/// those that do not. Of a dense mesh these are a few in a hundred.
#include "draw/SampleMask.h"

namespace um {

/// A mesh prepared for being looked at from many sides: its edges, each with the triangles on either side.
class ContourMesh {
public:
    /// Keeps a reference to `mesh`, which must stay as it is. Costs O(t).
    explicit ContourMesh(const Mesh& mesh);

    const Mesh& mesh() const { return m_mesh; }

    /// Covers the samples that lie in any triangle, those on an edge on one side of it only.
    /// @param places  of the vertices, in samples, rows running downwards; triangles with one that is not finite are
    /// left out
    ///
    /// How many triangles that turn left lie over a sample is the winding number of the sum of their edges, in which
    /// all edges between two of them cancel out. The same holds of those that turn right; a closed surface covers the
    /// same with both.
    void cover(SampleMask& mask, const std::vector<Vec2f>& places) const;

private:
    struct Edge {
        VertexId from, to;
        TriangleId left, right;  ///< the one that runs along the edge, and the one that runs against it, or nobody
    };
    static constexpr TriangleId nobody = 0xffffffffu;

    const Mesh& m_mesh;
    std::vector<Edge> m_edges;
};

}  // namespace um
