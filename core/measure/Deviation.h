#pragma once
/// How far a level is from its source, measured over both surfaces.
#include "base/Progress.h"
#include "measure/Distribution.h"
#include "mesh/Mesh.h"

namespace um {

struct DeviationSettings {
    /// Points spread evenly by area over each surface, besides all its vertices; 0 chooses half the source's triangles,
    /// but at least 50,000 and at most 4 million.
    std::size_t samples = 0;
};

/// One direction: from every measured point of one surface to the closest point of the other. Lengths in the meshes'
/// unit; means are over the area.
struct OneSidedDeviation {
    double max = 0, mean = 0, rms = 0, p95 = 0, p99 = 0;  ///< of the absolute distance
    Vec3d worstPlace = Vec3d::Zero();                     ///< where on the measured surface the largest one is
};

struct Deviation {
    /// Of both directions together, each counting half.
    double max = 0, mean = 0, rms = 0, p95 = 0, p99 = 0;
    double meanSigned = 0;  ///< above 0 where the level lies outside the source
    /// No point of either surface is farther than this from the other: proven, not sampled.
    double maxBound = 0;
    Vec3d worstPlace = Vec3d::Zero();
    OneSidedDeviation sourceToLevel, levelToSource;
    Distribution distribution;         ///< signed as above, both directions
    std::vector<float> atLevelVertex;  ///< signed distance of each vertex of the level; + is outside the source
};

/// Measures both directions: all vertices and area-weighted points, to the closest point of the other surface.
/// @throws MeshError  if either mesh is not sound
/// @throws Cancelled
/// Source: Cignoni, Rocchini & Scopigno 1998, Computer Graphics Forum 17(2): sampling of both directions. The bound:
/// the distance to a triangle is convex, and any distance changes by at most the way gone.
Deviation measureDeviation(const Mesh& source, const Mesh& level, const DeviationSettings& settings,
                           const Progress& progress);

}  // namespace um
