#pragma once
/// Shapes by formula, for tests that know the answer.
#include "mesh/Mesh.h"

#include "reduce/Guard.h"

#include <functional>

namespace um::test {

/// A flat grid of columns x rows quads over [0, width] x [0, depth], with height(x, z); normals point up (+y).
Mesh makeSheet(std::size_t columns, std::size_t rows, double width = 1, double depth = 1,
               const std::function<double(double x, double z)>& height = {});

/// A sheet of 300 x 300 quads over [0, 1] x [0, 1] with that height, and thin ridges here and there, which coarse
/// levels lose or run across.
Mesh makeRidgedSheet(const std::function<double(double x, double z)>& height);

/// A closed axis-aligned box around the origin, each side cut into n x n quads.
Mesh makeBox(const Vec3d& size, std::size_t n = 1);

/// A closed sphere around the origin: an octahedron whose sides are cut n times; 8 n² triangles.
Mesh makeSphere(double radius, std::size_t n);

/// A ball of 512 triangles with bumps, so that no two edges are alike.
Mesh makeBumpyBall();

/// So many triangles around its tip, which is vertex 0; open below, where its rim goes up and down a little.
Mesh makeTent(VertexId triangles);

/// A closed ring around the y axis.
Mesh makeTorus(double ring, double tube, std::size_t columns, std::size_t rows);

/// A tube of radius 1 around the y axis, open at both ends, of one piece; from y = 0 on. Its first column of vertices
/// is at x = 1.
Mesh makeTube(std::size_t around, std::size_t along, double length = 3);

Mesh makeTetrahedron();

/// The middle of a triangle.
Vec3d middle(const Mesh& mesh, TriangleId t);

/// Adds UVs that go once round a seam: two wedges wherever `splits` says so. The sheet's own x, z become u, v on one
/// side and u + 10 on the other side of x = width / 2.
void addUvsWithSeam(Mesh& sheet, double seamX);

/// The same mesh with all that wedges can carry.
Mesh dressed(Mesh mesh);

/// A guard for each vertex, by its position.
VertexGuard guardWhere(const Mesh& mesh, const std::function<GuardValue(const Vec3f&)>& guard);

/// Both meshes in one, as parts of their own.
Mesh joined(const Mesh& a, const Mesh& b);

Mesh moved(Mesh mesh, const Vec3d& by);

/// The triangles that face away from the given direction by more than 90 degrees.
std::size_t trianglesFacingAway(const Mesh& mesh, const Vec3d& direction);

/// Whether every corner's wedge belongs to one vertex only.
bool wedgesBelongToOneVertex(const Mesh& mesh);

double volume(const Mesh& mesh);

/// The area of all triangles that a polygon was cut into.
double areaOfCut(const std::vector<Vec3f>& corners, const std::vector<Triangle>& triangles);

}  // namespace um::test
