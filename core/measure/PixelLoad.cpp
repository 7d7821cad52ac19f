#include "measure/PixelLoad.h"

#include "base/Error.h"
#include "base/Parallel.h"
#include "draw/TriangleRows.h"
#include "measure/Silhouette.h"

#include <atomic>
#include <cmath>
#include <limits>
#include <utility>

namespace um {
namespace {

constexpr double largestLoad = 4096;

// What the pixels show, and what was spent on them.
struct Canvas {
    int width, height;
    std::vector<float> depths;
    std::vector<std::uint8_t> isSmall;  // whether the triangle in front is under four pixels
    std::size_t shaded = 0;
    std::vector<std::size_t> blocks;  // along a pair of rows: the last of those drawn that covers some of it
    std::size_t drawn = 0;            // pairs of rows, of all triangles

    Canvas(int w, int h)
        : width(w),
          height(h),
          depths(std::size_t(w) * std::size_t(h), -std::numeric_limits<float>::max()),
          isSmall(depths.size(), 0),
          blocks(std::size_t(w) / 2 + 1, 0) {}

    // Of the pixels in a pair of rows, those of which some triangle covers a middle make up blocks.
    void draw(const Vec3f& a, const Vec3f& b, const Vec3f& c, float doubledArea) {
        const bool small = std::abs(doubledArea) < 2 * float(leastPixels);
        const TriangleRows rows(a, b, c, {0, width - 1}, {0, height - 1});
        int pair = -1;
        rows.forCovered(doubledArea, [&](int x, int y, const std::array<float, 3>& shares) {
            if (std::exchange(pair, y / 2) != y / 2) ++drawn;
            if (std::exchange(blocks[std::size_t(x / 2)], drawn) != drawn) shaded += 4;
            const float depth = shares[0] * a.z() + shares[1] * b.z() + shares[2] * c.z();
            const std::size_t at = std::size_t(y) * std::size_t(width) + std::size_t(x);
            if (depth <= depths[at]) return;
            depths[at] = depth;
            isSmall[at] = small ? 1 : 0;
        });
    }
};

}  // namespace

PixelLoad measurePixelLoad(const Mesh& mesh, const Mat3d& turn, double pixelsPerUnit) {
    PixelLoad load;
    const Box3f box = boundingBox(mesh);
    if (box.isEmpty() || !(pixelsPerUnit > 0)) return load;
    const Vec3d middle = box.center().cast<double>();
    std::vector<Vec3f> places(mesh.vertexCount());
    Box3f seen;
    // Rows run downwards.
    const Mat3d scaled = Eigen::DiagonalMatrix<double, 3>(1, -1, 1) * turn * pixelsPerUnit;
    for (std::size_t v = 0; v < places.size(); ++v) {
        places[v] = (scaled * (mesh.positions[v].cast<double>() - middle)).cast<float>();
        seen.extend(places[v]);
    }
    const Vec3f size = seen.sizes();
    if (!(double(std::max(size.x(), size.y())) < largestLoad))
        throw MeshError(
            "The pixel load of that size would need a picture of more than 4,096 pixels a side; "
            "ask for one from farther away.");
    // Off any lattice: where edges run along pixels' middles, both triangles would claim them.
    const Vec3f origin = seen.min() - Vec3f(1.2371f, 1.3183f, 0);
    for (Vec3f& place : places) place -= origin;
    Canvas canvas(int(std::ceil(size.x())) + 3, int(std::ceil(size.y())) + 3);
    std::size_t facing = 0;
    for (const Section& section : mesh.sections) {
        const bool bothSides = mesh.materials[section.material].doubleSided;
        for (std::size_t t = section.firstTriangle; t < section.firstTriangle + section.triangleCount; ++t) {
            const Triangle& triangle = mesh.triangles[t];
            const Vec3f &a = places[triangle[0]], &b = places[triangle[1]], &c = places[triangle[2]];
            const float area = (b.x() - a.x()) * (c.y() - a.y()) - (b.y() - a.y()) * (c.x() - a.x());
            // With rows running downwards, what turns left as seen turns right here.
            if (area == 0 || (area > 0 && !bothSides)) continue;
            ++facing;
            canvas.draw(a, b, c, area);
        }
    }
    std::size_t covered = 0, small = 0;
    for (std::size_t i = 0; i < canvas.depths.size(); ++i) {
        if (canvas.depths[i] == -std::numeric_limits<float>::max()) continue;
        ++covered;
        small += canvas.isSmall[i];
    }
    if (covered == 0) return load;
    load.pixels = double(covered);
    load.pixelsPerTriangle = facing > 0 ? double(covered) / double(facing) : 0;
    load.underFour = double(small) / double(covered);
    load.overdraw = double(canvas.shaded) / double(covered);
    return load;
}

PixelLoad measurePixelLoad(const Mesh& mesh, int views, double pixelsPerUnit, const Progress& progress) {
    const std::vector<Direction> directions = viewDirections(views);
    std::vector<PixelLoad> loads(directions.size());
    std::atomic<std::size_t> done = 0;
    parallelFor(
        loads.size(),
        [&](std::size_t i) {
            loads[i] = measurePixelLoad(mesh, directions[i].turn(), pixelsPerUnit);
            progress.at(double(++done) / double(loads.size()));
        },
        1);
    PixelLoad mean;
    for (const PixelLoad& load : loads) mean.pixels += load.pixels;
    if (!(mean.pixels > 0)) return {};
    for (const PixelLoad& load : loads) {
        const double share = load.pixels / mean.pixels;
        mean.pixelsPerTriangle += share * load.pixelsPerTriangle;
        mean.underFour += share * load.underFour;
        mean.overdraw += share * load.overdraw;
    }
    mean.pixels /= double(loads.size());
    return mean;
}

}  // namespace um
