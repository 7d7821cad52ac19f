#pragma once
/// The triangles around a vertex, listed.
#include "reduce/WorkingMesh.h"

namespace um {

class Fan {
public:
    /// A vertex of more triangles waits until its neighbours have contracted around it: every test costs by that
    /// number.
    static constexpr std::size_t mostTriangles = 128;

    /// The two other corners of one of the vertex's triangles, in its turn.
    using Edge = std::array<VertexId, 2>;

    /// Lists what lies opposite to `v`, in the order of its corners.
    /// @returns false if there is more than fits
    bool gather(const WorkingMesh& mesh, VertexId v) {
        m_size = 0;
        for (CornerId c = mesh.firstCorner[v]; c != noIndex; c = mesh.nextCorner[c]) {
            if (m_size == mostTriangles) return false;
            m_edges[m_size++] = {mesh.nextOf(c), mesh.lastOf(c)};
        }
        return true;
    }

    std::size_t size() const { return m_size; }
    const Edge* begin() const { return m_edges.data(); }
    const Edge* end() const { return m_edges.data() + m_size; }

private:
    std::array<Edge, mostTriangles> m_edges;
    std::size_t m_size = 0;
};

}  // namespace um
