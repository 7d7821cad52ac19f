#pragma once
/// What contracting an edge would cost, and where the joined vertex would lie.
#include "reduce/WorkingMesh.h"

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

/// The costs of the edges from u to each of the others: the same, sooner.
/// @param costs  as many as there are others
void costsOfEdges(const WorkingMesh& mesh, VertexId u, std::span<const VertexId> others, float* costs);

/// How strict a contraction is. The later ones are tried only where the earlier ones find nothing more.
enum class Strictness : std::uint8_t {
    Careful,    ///< no needles outside flat places, triangles keep their direction within 60 degrees
    Relaxed,    ///< needles are allowed
    LastResort  ///< where several protected lines meet, their junctions may be joined along them
};

/// A vertex of more triangles waits until its neighbours have contracted around it: every test costs by that number.
inline constexpr std::size_t mostTrianglesAround = 128;

/// The two other corners of one of a vertex's triangles, in its turn.
using OppositeEdge = std::array<VertexId, 2>;

/// Lists what lies opposite to a vertex in its triangles, in the order of its corners.
/// @returns false if there are more than `mostTrianglesAround`
bool edgesAround(const WorkingMesh& mesh, VertexId v, std::vector<OppositeEdge>& edges);

/// Room for the lists of one question, to be used again for the next.
struct EdgeScratch {
    std::vector<OppositeEdge> around, otherAround;
    std::vector<VertexId> ring, otherRing;
};

/// The number of triangles that contracting v into u at its best place would take away; 0 if it may not be: if it would
/// change the topology (link condition), turn a triangle over, or run against what is protected. Source: Dey,
/// Edelsbrunner, Guha & Nekhayev 1999.
int allowedRemoval(const WorkingMesh& mesh, VertexId u, VertexId v, const EdgeCost& best, Strictness strictness,
                   EdgeScratch& scratch);

/// Whether the kinds and lines at both ends let the edge be contracted at all.
bool kindsAllow(const WorkingMesh& mesh, VertexId u, VertexId v, Strictness strictness);

}  // namespace um
