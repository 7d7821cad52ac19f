#pragma once
/// Changing a level's triangles at one place: single vertices are put in, edges run across instead.
#include "base/TrianglePoint.h"
#include "mesh/Connectivity.h"
#include "reduce/Attributes.h"

namespace um {

/// Where a wedge was put in: the nth of a level is its nth wedge after those it had. A new vertex has one, or two on an
/// edge that is not smooth.
struct Birth {
    VertexId vertex;
    std::array<VertexId, 3> corners;
    std::array<WedgeId, 3> wedges;  ///< at those corners
    std::array<double, 3> shares;
    Vec3d place;  ///< on the level as it was then
};

/// The triangle on the other side of the edge opposite to corner k of t; none where there is not exactly one, or it is
/// turned the other way.
struct Beyond {
    TriangleId triangle = std::numeric_limits<TriangleId>::max();
    std::size_t corner = 0;  ///< of that triangle, the one that is not on the edge

    bool isThere() const { return triangle != std::numeric_limits<TriangleId>::max(); }
};
Beyond beyondEdge(const Mesh& mesh, const VertexTriangles& around, TriangleId t, std::size_t k);

/// Whether the two triangles at that edge carry the same at both of its ends.
bool isSmoothEdge(const Mesh& mesh, TriangleId t, std::size_t k, const Beyond& beyond);

/// Whether no other triangle is at that edge.
bool isBorderEdge(const Mesh& mesh, const VertexTriangles& around, TriangleId t, std::size_t k);

/// The edge opposite to corner k of t runs across instead. Both triangles stay where they are in the list.
void flipEdge(Mesh& mesh, TriangleId t, std::size_t k, const Beyond& beyond);

/// A vertex in the middle of t, which becomes three triangles. New triangles come last, and stand in `sections` as
/// their elders do; the level's own sections are put right by groupBySections. Influences and blend shapes are
/// interpolated; what the new wedge carries is left to the caller.
/// @param at     of triangle t, well away from its corners
/// @param wedge  the new vertex's
Birth splitTriangle(Mesh& level, std::vector<std::uint16_t>& sections, TriangleId t, const TrianglePoint& at,
                    WedgeId wedge);

/// A vertex on the edge opposite to corner k of t, as splitTriangle does it. t becomes two triangles, and so does
/// `beyond` if it is there.
/// @param at     of triangle t, on that edge or near it
/// @param wedge  the new vertex's; where the edge is not smooth, the triangles beyond it get the next one
/// @returns one for each new wedge
std::vector<Birth> splitEdge(Mesh& level, std::vector<std::uint16_t>& sections, TriangleId t, std::size_t k,
                             const Beyond& beyond, const TrianglePoint& at, WedgeId wedge);

}  // namespace um
