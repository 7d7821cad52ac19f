#pragma once
/// Welding: shared vertices from a soup of points.
#include "base/Progress.h"
#include "mesh/Mesh.h"

#include <span>

namespace um {

struct Welded {
    std::vector<Vec3f> positions;        ///< distinct points, in the order in which they first occur
    std::vector<std::uint32_t> indexOf;  ///< for each point of the soup, its index in `positions`
};

/// Joins points with equal coordinates (bit for bit; -0 counts as 0).
/// Costs O(n) by hashing into cache-sized buckets, in parallel; the result does not depend on the thread count.
/// @throws Cancelled
Welded weldPoints(std::span<const Vec3f> points, const Progress& progress);

/// Joins vertices at the same place. Different attributes are kept as wedges.
/// @returns the number of removed vertices
std::size_t weldVertices(Mesh& mesh, const Progress& progress);

/// Whether no two triangles share a vertex, as in files that repeat each corner.
bool isTriangleSoup(const Mesh& mesh);

/// Makes wedges from keys: corners of one vertex with the same key share a wedge.
/// @param keys  three for each triangle
/// @returns the key of each wedge; `mesh.wedges` is set
std::vector<std::uint64_t> assignWedges(Mesh& mesh, const std::vector<std::array<std::uint64_t, 3>>& keys);

/// The triangles to keep after vertices were joined: those with three different corners. Of triangles on the same
/// corners one is kept if they face the same way, none if they face each other.
std::vector<std::uint8_t> trianglesWithoutFolds(const Mesh& mesh);

/// A run of triangles that belong to one part and material, as files list them.
struct Run {
    std::size_t firstTriangle = 0;
    std::uint32_t part = 0;
    std::uint32_t material = 0;
};

/// Orders the triangles by part, then material, and makes the sections.
/// @param runs  in the order of the triangles; the first begins at 0
void groupIntoSections(Mesh& mesh, const std::vector<Run>& runs);

}  // namespace um
