#pragma once
/// The closest point of a surface, found by walking from a triangle nearby.
#include "base/TrianglePoint.h"
#include "mesh/Connectivity.h"
#include "mesh/Mesh.h"

#include <limits>

namespace um {

struct Closest {
    TriangleId triangle = 0;
    TrianglePoint at;
    double squaredDistance = std::numeric_limits<double>::max();
};

/// The closest point of one triangle.
Closest closestOf(const Mesh& mesh, const Vec3d& p, TriangleId t);

/// Walks on from triangle to triangle while that comes closer: across the edge or around the corner at which the
/// closest place lies. Where it lies inside a triangle, none of its neighbours can be closer nearby.
Closest walkCloser(const Mesh& mesh, const VertexTriangles& around, const Vec3d& p, TriangleId start);

/// A bounding sphere of a triangle.
struct Sphere {
    Vec3f centre = Vec3f::Zero();
    float radius = 0;
};

/// The smallest sphere around each triangle, a little wider for the rounding.
std::vector<Sphere> spheresOf(const Mesh& mesh);

/// As `walkCloser`, from the closest of the triangles around a vertex.
/// @param spheres  of the mesh: triangles too far off are left out by them
/// @param start    a vertex of one triangle at least
Closest walkFromVertex(const Mesh& mesh, const VertexTriangles& around, const std::vector<Sphere>& spheres,
                       const Vec3d& p, VertexId start);

/// Like `walkCloser`, looking at all triangles around each on the way: finds past small bumps, at several times the
/// cost.
Closest walkWidely(const Mesh& mesh, const VertexTriangles& around, const std::vector<Sphere>& spheres, const Vec3d& p,
                   TriangleId start);

/// Over all triangles that hang together with `start` and come within twice its distance: finds what folds hide from a
/// walk, at very many times the cost.
Closest searchAround(const Mesh& mesh, const VertexTriangles& around, const Vec3d& p, TriangleId start);

}  // namespace um
