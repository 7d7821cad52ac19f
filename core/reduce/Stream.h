#pragma once
/// Reducing what does not fit in memory, in one pass over its triangles.
#include "files/TriangleStream.h"
#include "mesh/Mesh.h"
#include "reduce/Quadric.h"

namespace um {

struct Clustered {
    Mesh mesh;
    std::vector<StoredQuadric> quadrics;  ///< of each vertex, counted from it
    std::size_t sourceTriangles = 0;
    double cell = 0;  ///< the length of a cell's edge
    /// So many times, evenly over the source, one of its points: for measuring afterwards.
    std::vector<Vec3f> samples;
};

/// Joins all vertices within each cell of a grid into one, where the planes of all its triangles say; borders count
/// too. Reads the stream twice: for its box and area, which say how large the cells
/// are to be, and for the clusters.
/// Needs about 110 bytes for each vertex of the result, whatever the size of the source.
/// @param triangles  about how many are wanted
/// @throws MeshError  if there is no triangle with an area
/// @throws FileError, Cancelled
/// Source: Lindstrom 2000, SIGGRAPH: out-of-core simplification of large polygonal models; borders after Lindstrom &
/// Turk 2001.
Clustered clusterStream(TriangleStream& stream, std::size_t triangles, const Progress& progress);

}  // namespace um
