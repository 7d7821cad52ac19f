#pragma once
/// The deviation of a level from its source, measured over both surfaces.
#include "base/Progress.h"
#include "measure/ClosestPoint.h"
#include "measure/Distribution.h"
#include "mesh/Mesh.h"

#include <optional>

namespace um {

struct DeviationSettings {
    /// Points spread evenly by area over each surface; 0 chooses a quarter of the source's triangles, but at least
    /// 50,000 and at most a million. Each part gets at least 256
    /// (fewer in meshes of more than 3,900 parts).
    std::size_t samples = 0;
    /// Whether the largest deviation is bounded for the whole surface. Without it `maxBound` is the largest found one,
    /// in less than half the time on fine levels.
    bool proven = true;
    /// A limit to test against, in the meshes' unit; 0 for none. If no larger deviation is found, the bound is refined
    /// until it tells whether the limit holds. Otherwise `farPlaces` lists all found places beyond the limit, also ones
    /// near to each other.
    double allowed = 0;
};

/// One direction: from one surface to the closest points of the other. Lengths in the meshes' unit. `max` is over all
/// vertices, the points, and the places that the proof of the bound looked at; the other figures are over the points,
/// which represent equal areas.
struct OneSidedDeviation {
    double max = 0, mean = 0, rms = 0, p95 = 0, p99 = 0;  ///< of the absolute distance
    Vec3d worstPlace = Vec3d::Zero();                     ///< where on the measured surface the largest one is
};

/// The deviation of a part: of both directions, each counting half; of the source alone if the level lacks the part.
struct PartDeviation {
    double max = 0, mean = 0, rms = 0;
};

/// A place with a large deviation, on the surface on which it was measured.
struct FarPlace {
    Vec3d place = Vec3d::Zero();
    Vec3d normal = Vec3d::Zero();  ///< outwards, unit length; zero where the surface has no area there
    double distance = 0;
    bool isOnSource = false;
    std::optional<TriangleId> triangle;  ///< on which it was measured; not kept in documents
};

struct Deviation {
    /// Of both directions together, each counting half.
    double max = 0, mean = 0, rms = 0, p95 = 0, p99 = 0;
    double meanSigned = 0;  ///< above 0 where the level lies outside the source
    /// Proven bound: no point of either surface is farther than this from the other.
    double maxBound = 0;
    Vec3d worstPlace = Vec3d::Zero();
    OneSidedDeviation sourceToLevel, levelToSource;
    Distribution distribution;          ///< signed as above, both directions
    std::vector<PartDeviation> byPart;  ///< one for each part of the source; a level's parts are matched by name
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
/// the distance to a triangle is convex, and the distance function is 1-Lipschitz.
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
