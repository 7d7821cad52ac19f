#include "mesh/Connectivity.h"

#include "base/Parallel.h"

#include <numeric>

namespace um {

VertexTriangles findVertexTriangles(const std::vector<Triangle>& triangles, std::size_t vertexCount) {
    return groupItems(triangles.size(), vertexCount, [&](std::size_t t, const auto& visit) {
        for (const VertexId v : triangles[t]) visit(v);
    });
}

Pieces findPieces(const std::vector<Triangle>& triangles, std::size_t vertexCount) {
    std::vector<std::uint32_t> parent(vertexCount);
    std::iota(parent.begin(), parent.end(), 0u);
    const auto rootOf = [&](std::uint32_t v) {
        while (parent[v] != v) {
            parent[v] = parent[parent[v]];
            v = parent[v];
        }
        return v;
    };
    for (const Triangle& triangle : triangles) {
        const std::uint32_t a = rootOf(triangle[0]);
        for (int corner = 1; corner < 3; ++corner) {
            const std::uint32_t b = rootOf(triangle[std::size_t(corner)]);
            // The smaller root wins, so that pieces are numbered in the order of their first vertex.
            const std::uint32_t known = rootOf(a);
            parent[std::max(known, b)] = std::min(known, b);
        }
    }
    Pieces pieces;
    pieces.ofVertex.resize(vertexCount);
    std::uint32_t count = 0;
    for (std::uint32_t v = 0; v < vertexCount; ++v)
        pieces.ofVertex[v] = parent[v] == v ? count++ : pieces.ofVertex[rootOf(v)];
    pieces.triangleCounts.assign(count, 0);
    for (const Triangle& triangle : triangles) ++pieces.triangleCounts[pieces.ofVertex[triangle[0]]];
    return pieces;
}

Vec3d vertexNormal(const Mesh& mesh, const VertexTriangles& around, VertexId v) {
    Vec3d sum = Vec3d::Zero();
    const Vec3d here = mesh.positions[v].cast<double>();
    for (const TriangleId t : around.of(v)) {
        const Triangle& triangle = mesh.triangles[t];
        const int corner = triangle[0] == v ? 0 : triangle[1] == v ? 1 : 2;
        const Vec3d next = mesh.positions[triangle[std::size_t((corner + 1) % 3)]].cast<double>() - here;
        const Vec3d last = mesh.positions[triangle[std::size_t((corner + 2) % 3)]].cast<double>() - here;
        const Vec3d normal = next.cross(last);
        const double length = normal.norm();
        if (length > 0) sum += normal / length * std::atan2(length, next.dot(last));
    }
    const double length = sum.norm();
    return length > 0 ? Vec3d(sum / length) : Vec3d(Vec3d::Zero());
}

std::vector<Vec3f> vertexNormals(const Mesh& mesh, const VertexTriangles& around) {
    std::vector<Vec3f> normals(mesh.vertexCount());
    parallelFor(mesh.vertexCount(),
                [&](std::size_t v) { normals[v] = vertexNormal(mesh, around, VertexId(v)).cast<float>(); });
    return normals;
}

}  // namespace um
