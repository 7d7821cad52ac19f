#pragma once
/// Triangle order for graphics cards: vertex locality, and outer surfaces first against overdraw.
#include "mesh/Mesh.h"

namespace um {

/// The same mesh with the triangles of each section reordered, and vertices numbered as they are used.
/// Source: Sander, Nehab & Barczak 2007, ACM Transactions on Graphics 26(3): fast triangle reordering for vertex
/// locality and reduced overdraw.
Mesh inDrawOrder(const Mesh& mesh);

/// Transformed vertices for each triangle with a cache of the last `cacheSize` vertices, each section by itself: 3 at
/// worst, about 0.6 at best.
double vertexWorkPerTriangle(const Mesh& mesh, int cacheSize = 16);

}  // namespace um
