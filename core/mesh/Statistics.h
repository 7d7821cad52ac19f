#pragma once
/// Statistics of a mesh: counts, size, and faults of its topology.
#include "base/Progress.h"
#include "mesh/Mesh.h"

#include <string>

namespace um {

/// Counts for a whole mesh or one of its parts.
struct Statistics {
    std::size_t triangles = 0;
    std::size_t vertices = 0;
    std::size_t materials = 0;  ///< used by at least one triangle
    Box3f box;                  ///< in the mesh's unit
    double area = 0;            ///< in the mesh's unit, squared
    bool hasUvs = false;
    bool hasNormals = false;
    bool hasColors = false;

    std::size_t pieces = 0;              ///< connected by shared vertices
    std::size_t borderEdges = 0;         ///< edges of one triangle
    std::size_t borderLoops = 0;         ///< runs of border edges: holes and rims
    std::size_t nonManifoldEdges = 0;    ///< edges of three triangles or more
    std::size_t windingEdges = 0;        ///< edges whose two triangles run through them the same way
    std::size_t zeroAreaTriangles = 0;   ///< with equal corners or no area
    std::size_t duplicateTriangles = 0;  ///< beyond the first of the same three vertices
    std::size_t isolatedVertices = 0;    ///< used by no triangle

    bool sound() const {
        return nonManifoldEdges + windingEdges + zeroAreaTriangles + duplicateTriangles + isolatedVertices == 0;
    }
};

struct MeshStatistics {
    Statistics whole;
    std::vector<Statistics> parts;  ///< one for each part, the part taken as a mesh of its own
};

/// The faults as text, "3 non-manifold edges, 1 duplicate triangle"; empty if there are none. Open borders are no
/// fault.
std::string faultsOf(const Statistics& statistics);

/// Without the statistics of each part.
/// @throws Cancelled
Statistics gatherWholeStatistics(const Mesh& mesh, const Progress& progress);

/// @throws Cancelled
MeshStatistics gatherStatistics(const Mesh& mesh, const Progress& progress);

}  // namespace um
