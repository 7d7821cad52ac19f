#pragma once
/// Reduction of meshes larger than memory, by streaming their triangles.
#include "files/TriangleStream.h"
#include "mesh/Mesh.h"
#include "reduce/Quadric.h"

namespace um {

struct Clustered {
    Mesh mesh;
    std::vector<StoredQuadric> quadrics;  ///< of each vertex, counted from it
    std::size_t sourceTriangles = 0;
    double cell = 0;  ///< the length of a cell's edge
    /// Evenly taken points of the source, for measuring.
    std::vector<Vec3f> samples;
};

/// Joins the vertices of each grid cell into one, at the minimum of the quadrics of its triangles and borders. Reads
/// the stream twice: for box and area, which give the cell size, and for the clusters. Needs about 110 bytes for each
/// vertex of the result, whatever the size of the source.
/// @param triangles  about how many are wanted
/// @throws MeshError  if there is no triangle with an area
/// @throws FileError, Cancelled
/// Source: Lindstrom 2000, SIGGRAPH: out-of-core simplification of large polygonal models; borders after Lindstrom &
/// Turk 2001.
Clustered clusterStream(TriangleStream& stream, std::size_t triangles, const Progress& progress);

}  // namespace um
