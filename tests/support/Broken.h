#pragma once
/// Random broken meshes and files, the same for the same seed.
#include "mesh/Mesh.h"
#include "tests/support/Numbers.h"

namespace um::test {

/// A heap of triangles on few vertices: non-manifold edges, bow-ties, duplicates, flipped and degenerate ones, all at
/// once.
Mesh randomHeap(unsigned seed, std::size_t vertices, std::size_t triangles);

/// A closed sphere that was knocked about: some triangles missing, turned over, doubled or flattened.
Mesh damagedSphere(unsigned seed);

/// UVs of which each corner has one of three.
void addRandomUvs(Mesh& mesh, unsigned seed);

/// A file's bytes with some changed, and cut off or partly doubled as well, or not.
std::string damaged(std::string bytes, Numbers& number);

}  // namespace um::test
