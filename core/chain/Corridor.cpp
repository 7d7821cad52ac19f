#include "chain/Corridor.h"

#include "base/Error.h"
#include "base/Parallel.h"
#include "draw/Coverage.h"
#include "draw/DepthMap.h"
#include "measure/Silhouette.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <numeric>

namespace um {
namespace {

constexpr int corridorDirections = 48;

}  // namespace

void requireSensible(const Switching& s) {
    if (!(s.allowedPixels > 0)) throw InputError("The allowed error in pixels must be above 0, such as 1.");
    if (!(s.floorPixels >= 0)) throw InputError("The floor is a number of pixels for each triangle, such as 4.");
    if (!(s.hysteresis >= 0 && s.hysteresis < 1)) throw InputError("Hysteresis goes from 0 to under 100 %.");
    if (!(s.crossFade >= 0 && s.crossFade <= 1)) throw InputError("The cross-fade goes from 0 to 100 %.");
    if (!(s.gonePixels >= 0)) throw InputError("Drawing ends at a height in pixels, such as 3; 0 never ends it.");
}

double AssetSize::gone(const Screen& screen, const Switching& switching) const {
    return switching.gonePixels > 0 ? screen.distance(height, switching.gonePixels)
                                    : std::numeric_limits<double>::infinity();
}

AssetSize sizeOf(const Mesh& source, const Progress& progress) {
    AssetSize size;
    const double metres = source.metresPerUnit;
    size.height = standingHeight(source) * metres;
    size.diagonal = diagonal(source) * metres;
    if (!(size.diagonal > 0)) return size;
    constexpr double pictureSize = 256;
    const double pixelsPerUnit = pictureSize / diagonal(source);
    const ContourMesh contour(source);
    const std::vector<Mat3d> turns = evenDirections(corridorDirections);
    std::vector<double> areas(turns.size());
    parallelFor(
        turns.size(),
        [&](std::size_t i) {
            progress.check();
            const CoverageMask mask = drawCoverage(contour, turns[i], pixelsPerUnit);
            areas[i] = std::accumulate(mask.coverage.begin(), mask.coverage.end(), 0.0) / 255;
        },
        1);
    const double pixels = std::accumulate(areas.begin(), areas.end(), 0.0) / double(areas.size());
    size.coveredArea = pixels * metres * metres / (pixelsPerUnit * pixelsPerUnit);
    progress.at(1);
    return size;
}

double LevelCost::pixelsPerTriangle(const AssetSize& asset, const Screen& screen, double distance) const {
    const double pixelsPerMetre = screen.pixels(1, distance);
    return facing > 0 ? asset.coveredArea * pixelsPerMetre * pixelsPerMetre / facing : 0;
}

double LevelCost::wastedFrom(const AssetSize& asset, const Screen& screen, const Switching& switching) const {
    if (!(switching.floorPixels > 0) || !(facing > 0)) return std::numeric_limits<double>::infinity();
    return screen.distance(std::sqrt(asset.coveredArea / facing), std::sqrt(switching.floorPixels));
}

double LevelCost::unnoticedFrom(const Screen& screen, const Switching& switching) const {
    return screen.distance(error.value_or(0), switching.allowedPixels);
}

double facingTriangles(const Mesh& mesh) {
    double facing = 0;
    for (const Section& section : mesh.sections)
        facing += section.triangleCount * (mesh.materials[section.material].doubleSided ? 1.0 : 0.5);
    return facing;
}

LevelCost costOf(const Level& level) {
    LevelCost cost;
    cost.facing = facingTriangles(*level.mesh);
    if (level.evidence) cost.error = level.evidence->maxBound * level.mesh->metresPerUnit;
    // No outline is farther off than the surface: what is more comes of the picture's samples.
    if (level.outline) cost.outlineError = std::min(level.outline->max, cost.error.value_or(level.outline->max));
    cost.switchDistance = level.recipe.switchDistance;
    return cost;
}

int Band::at(double distance) const {
    if (from.empty() || distance >= gone) return nothing;
    return int(std::upper_bound(from.begin() + 1, from.end(), distance) - from.begin()) - 1;
}

int Band::following(int before, double distance, double hysteresis) const {
    const int now = at(distance);
    const bool comesBack = before == nothing ? now != nothing : now != nothing && now < before;
    if (!comesBack || (before != nothing && std::size_t(before) >= from.size())) return now;
    // A distance seen as farther than it is: nothing comes back before that, too, is nearer than its joint.
    const int late = at(distance / (1 - hysteresis));
    return before == nothing ? late : late == nothing ? before : std::min(late, before);
}

double Band::fade(std::size_t level, double distance, double width) const {
    const double joint = level + 1 < from.size() ? from[level + 1] : gone;
    if (!(width > 0) || !std::isfinite(joint)) return 0;
    return std::clamp((distance - joint * (1 - width)) / (joint * width), 0.0, 1.0);
}

Band bandOf(const std::vector<LevelCost>& levels, const AssetSize& asset, const Screen& screen,
            const Switching& switching) {
    Band band;
    for (const LevelCost& level : levels) {
        const double before = band.from.empty() ? 0 : band.from.back();
        const double wanted = level.switchDistance > 0 ? level.switchDistance : level.unnoticedFrom(screen, switching);
        band.from.push_back(band.from.empty() ? 0 : std::max(before, wanted));
    }
    band.gone = std::max(asset.gone(screen, switching), band.from.empty() ? 0 : band.from.back());
    return band;
}

}  // namespace um
