#pragma once
/// What contracting an edge would cost, and where the joined vertex would lie.
#include "reduce/EdgeBatch.h"
#include "reduce/Fan.h"

#include <span>

namespace um {

struct EdgeCost {
    float cost = 0;               ///< squared length times area
    bool isFlat = false;          ///< whether that is nothing but rounding
    Vec3d place = Vec3d::Zero();  ///< counted from the first vertex
};

/// The place with the least error for the edge from u to v, as far as the kinds of both leave it open.
/// Source: Garland & Heckbert 1997 (quadrics); Hoppe 1999 (attributes).
EdgeCost costOfEdge(const WorkingMesh& mesh, VertexId u, VertexId v);

/// The same for all edges of a vertex at once, sooner. Keeps its room from one question to the next.
class EdgeCosts {
public:
    /// @param around  u
    /// @returns the costs of the edges from u to each of the others, until the next question
    std::span<const float> of(const WorkingMesh& mesh, VertexId u, const Fan& around, std::span<const VertexId> others);

private:
    // A triangle's plane through u, by its doubled area vector.
    struct Plane {
        Vec3d normal;
        double squared;
    };

    void putIn(const WorkingMesh& mesh, VertexId u, std::span<const VertexId> others);

    EdgeBatch m_batch;
    std::vector<Plane> m_planes;
    std::vector<float> m_costs;
};

}  // namespace um
