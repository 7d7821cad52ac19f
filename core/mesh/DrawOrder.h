#pragma once
/// The order in which graphics cards like to be given triangles: corners soon used again, and what lies outside first.
#include "mesh/Mesh.h"

namespace um {

/// The same mesh with the triangles of each section reordered, and vertices numbered as they are used.
/// Source: Sander, Nehab & Barczak 2007, ACM Transactions on Graphics 26(3): fast triangle reordering for vertex
/// locality and reduced overdraw.
Mesh inDrawOrder(const Mesh& mesh);

/// How many vertices are worked out for each triangle by a card that remembers the last `cacheSize` of them, each
/// section by itself: 3 at worst, about 0.6 at best.
double vertexWorkPerTriangle(const Mesh& mesh, int cacheSize = 16);

}  // namespace um
