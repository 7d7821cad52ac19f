#include "reduce/Visibility.h"

#include "base/Parallel.h"
#include "draw/DepthMap.h"

#include <cmath>

namespace um {

namespace {

// An outline from behind is the same as from the front: half the sphere would do, but even spreading is simpler.
constexpr int outlineDirections = 64;
constexpr int outlinePixels = 384;

// At most so many times dearer, as a length, is a place that always lies on the outline.
constexpr double largestWeightFactor = 6;

// A place on the outline from this share of directions on counts in full: a ball's are there from a tenth of them.
constexpr double oftenOnOutline = 0.15;

constexpr int seenDirections = 98;
constexpr int seenPixels = 768;

// Pixels that touch what is not covered, and their neighbours.
std::vector<std::uint8_t> outlineBand(const DepthMap& map) {
    std::vector<std::uint8_t> band(map.nearest.size(), 0);
    parallelFor(
        std::size_t(map.height),
        [&](std::size_t row) {
            const int y = int(row);
            for (int x = 0; x < map.width; ++x) {
                bool covered = false, open = false;
                for (int dy = -1; dy <= 1; ++dy)
                    for (int dx = -1; dx <= 1; ++dx) {
                        const bool there = map.at(x + dx, y + dy) != DepthMap::empty;
                        covered = covered || there;
                        open = open || !there;
                    }
                band[row * std::size_t(map.width) + std::size_t(x)] = covered && open ? 1 : 0;
            }
        },
        16);
    return band;
}

}  // namespace

std::vector<float> silhouetteExposure(const Mesh& mesh, const Progress& progress) {
    std::vector<float> exposure(mesh.vertexCount(), 0);
    const std::vector<Mat3d> directions = evenDirections(outlineDirections);
    for (std::size_t i = 0; i < directions.size(); ++i) {
        progress.at(double(i) / double(directions.size()));
        const DepthMap map = drawDepth(mesh, directions[i], outlinePixels);
        const std::vector<std::uint8_t> band = outlineBand(map);
        parallelFor(mesh.vertexCount(), [&](std::size_t v) {
            const Vec3d p = map.project(mesh.positions[v]);
            const std::size_t pixel = std::size_t(p.y()) * std::size_t(map.width) + std::size_t(p.x());
            if (pixel < band.size() && band[pixel] != 0) exposure[v] += 1.0f / outlineDirections;
        });
    }
    progress.at(1);
    return exposure;
}

std::vector<float> silhouetteFactors(const std::vector<float>& exposure, double strength) {
    std::vector<float> factors(exposure.size());
    parallelFor(factors.size(), [&](std::size_t v) {
        const double length =
            1 + strength * (largestWeightFactor - 1) * std::min(1.0, double(exposure[v]) / oftenOnOutline);
        factors[v] = float(length * length);
    });
    return factors;
}

std::vector<std::uint8_t> seenFromOutside(const Mesh& mesh, const Progress& progress) {
    std::vector<std::uint8_t> seen(mesh.triangleCount(), 0);
    const std::vector<Mat3d> directions = evenDirections(seenDirections);
    for (std::size_t i = 0; i < directions.size(); ++i) {
        progress.at(double(i) / double(directions.size()));
        const DepthMap map = drawDepth(mesh, directions[i], seenPixels);
        // Where a surface falls away steeply, a pixel's own depth lies a few pixels off.
        const double slack = 2 / map.pixelsPerUnit;
        parallelFor(mesh.triangleCount(), [&](std::size_t t) {
            if (seen[t] != 0) return;
            const Triangle& triangle = mesh.triangles[t];
            const Vec3f centre =
                (mesh.positions[triangle[0]] + mesh.positions[triangle[1]] + mesh.positions[triangle[2]]) / 3;
            for (const Vec3f& point :
                 {mesh.positions[triangle[0]], mesh.positions[triangle[1]], mesh.positions[triangle[2]], centre}) {
                const Vec3d p = map.project(point);
                if (p.z() + slack >= double(map.at(int(p.x()), int(p.y())))) seen[t] = 1;
            }
        });
    }
    progress.at(1);
    return seen;
}

}  // namespace um
