#pragma once
/// How far a level is from its source, measured over both surfaces.
#include "base/Progress.h"
#include "measure/ClosestPoint.h"
#include "measure/Distribution.h"
#include "mesh/Mesh.h"

#include <optional>

namespace um {

struct DeviationSettings {
    /// Points spread evenly by area over each surface; 0 chooses a quarter of the source's triangles, but at least
    /// 50,000 and at most a million. Each part gets 256 or more.
    std::size_t samples = 0;
    /// Whether the largest deviation is bounded for the whole surface; without it `maxBound` is what was found, which
    /// takes less than half the time on fine levels.
    bool proven = true;
    /// In the meshes' unit: where nothing farther off is found, the bound is made tight enough to tell whether all is
    /// within this; where something is, the far places are all that are found to be, hardly apart from one another. 0
    /// where nobody asks.
    double allowed = 0;
};

/// One direction: from one surface to the closest points of the other. Lengths in the meshes' unit. `max` is over all
/// vertices, the points and what the proof of the bound met; the other figures are over the points, which stand for
/// equal areas.
struct OneSidedDeviation {
    double max = 0, mean = 0, rms = 0, p95 = 0, p99 = 0;  ///< of the absolute distance
    Vec3d worstPlace = Vec3d::Zero();                     ///< where on the measured surface the largest one is
};

/// How far a part is off: both ways where the level has it too, each counting half; else as seen from the source.
struct PartDeviation {
    double max = 0, mean = 0, rms = 0;
};

/// A place where the surfaces are far apart, on whichever of them it was measured.
struct FarPlace {
    Vec3d place = Vec3d::Zero();
    Vec3d normal = Vec3d::Zero();  ///< outwards, unit length; zero where the surface has no area there
    double distance = 0;
    bool isOnSource = false;
    std::optional<TriangleId> triangle;  ///< the one it was measured on; documents do not keep it
};

struct Deviation {
    /// Of both directions together, each counting half.
    double max = 0, mean = 0, rms = 0, p95 = 0, p99 = 0;
    double meanSigned = 0;  ///< above 0 where the level lies outside the source
    /// No point of either surface is farther than this from the other: proven, not sampled.
    double maxBound = 0;
    Vec3d worstPlace = Vec3d::Zero();
    OneSidedDeviation sourceToLevel, levelToSource;
    Distribution distribution;          ///< signed as above, both directions
    std::vector<PartDeviation> byPart;  ///< one for each part of the source; a level's parts are told by their names
    std::vector<FarPlace> farPlaces;    ///< the farthest first, up to 20, each well away from those before it
    /// Signed distance of each vertex to the other surface; + where the level lies outside the source.
    std::vector<float> atLevelVertex, atSourceVertex;
};

/// Measures both directions: vertices and points spread by area, to the closest point of the other surface. The mean,
/// RMS, percentiles and shares leave the vertices out: along a triangle the squared distance is convex, so its corners
/// lie above its mean.
/// @throws MeshError  if either mesh is not sound
/// @throws Cancelled
/// Source: Cignoni, Rocchini & Scopigno 1998, Computer Graphics Forum 17(2): sampling of both directions. The bound:
/// the distance to a triangle is convex, and any distance changes by at most the way gone.
Deviation measureDeviation(const Mesh& source, const Mesh& level, const DeviationSettings& settings,
                           const Progress& progress);

/// A source made ready for measuring many levels against it.
struct DeviationSource {
    /// Keeps a reference to `mesh`, which must stay as it is.
    DeviationSource(const Mesh& sourceMesh, const Progress& progress) : mesh(sourceMesh), surface(mesh, progress) {}

    const Mesh& mesh;
    ClosestPointFinder surface;
};
Deviation measureDeviation(const DeviationSource& source, const Mesh& level, const DeviationSettings& settings,
                           const Progress& progress);

}  // namespace um
