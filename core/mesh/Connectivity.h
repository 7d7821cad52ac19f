#pragma once
/// The triangles around each vertex, connected pieces and vertex normals.
#include "base/Groups.h"
#include "mesh/Mesh.h"

namespace um {

/// The triangles around each vertex.
using VertexTriangles = Groups;

VertexTriangles findVertexTriangles(const std::vector<Triangle>& triangles, std::size_t vertexCount);

inline bool contains(const Triangle& triangle, VertexId v) {
    return triangle[0] == v || triangle[1] == v || triangle[2] == v;
}

/// A superset of the triangles at the edge a b: the triangles around the end that has fewer of them.
inline std::span<const TriangleId> trianglesNearEdge(const VertexTriangles& around, VertexId a, VertexId b) {
    const std::span<const TriangleId> atA = around.of(a), atB = around.of(b);
    return atB.size() < atA.size() ? atB : atA;
}

/// The connected pieces of a mesh: triangles joined by chains of shared vertices.
struct Pieces {
    std::vector<std::uint32_t>
        ofVertex;  ///< the piece of each vertex; isolated vertices have a piece without triangles
    std::vector<std::uint32_t> triangleCounts;  ///< for each piece
    std::size_t count() const { return triangleCounts.size(); }
};

Pieces findPieces(const std::vector<Triangle>& triangles, std::size_t vertexCount);

/// The angle-weighted mean of the triangle normals around a vertex, unit length; zero where there is none.
/// Its sign tells inside from outside at a vertex of a closed surface.
/// Source: Baerentzen & Aanaes 2005, IEEE TVCG 11(3): angle-weighted pseudo-normals.
Vec3d vertexNormal(const Mesh& mesh, const VertexTriangles& around, VertexId v);
std::vector<Vec3f> vertexNormals(const Mesh& mesh, const VertexTriangles& around);

}  // namespace um
