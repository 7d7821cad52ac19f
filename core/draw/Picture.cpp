#include "draw/Picture.h"

#include "base/Error.h"
#include "base/Parallel.h"
#include "draw/TriangleRows.h"

#define STB_IMAGE_WRITE_STATIC
#define STB_IMAGE_WRITE_IMPLEMENTATION
#include <stb/stb_image_write.h>
#include <cmath>
#include <limits>

namespace um {

namespace {

constexpr Rgb ground = {228, 231, 229};
constexpr std::array<double, 3> clay = {207, 199, 182};

// Rows that one thread draws at a time.
constexpr int tileRows = 64;

// Draws what of a triangle lies in the rows from `from` to before `to`.
void drawOne(TriangleMap& map, const Vec3f& a, const Vec3f& b, const Vec3f& c, TriangleId t, int from, int to) {
    const float area = (b.x() - a.x()) * (c.y() - a.y()) - (b.y() - a.y()) * (c.x() - a.x());
    if (area == 0) return;
    const TriangleRows rows(a, b, c, {0, map.width - 1}, {from, to - 1});
    rows.forCovered(area, [&](int x, int y, const std::array<float, 3>& shares) {
        const float depth = shares[0] * a.z() + shares[1] * b.z() + shares[2] * c.z();
        const std::size_t at = std::size_t(y) * std::size_t(map.width) + std::size_t(x);
        if (depth <= map.depths[at]) return;
        map.depths[at] = depth;
        map.triangles[at] = t;
    });
}

// The triangles that touch each tile, in their order: so the picture is the same whatever the number of threads.
std::vector<std::vector<TriangleId>> sortIntoTiles(const Mesh& mesh, const std::vector<Vec3f>& places, int height) {
    std::vector<std::vector<TriangleId>> tiles(std::size_t((height + tileRows - 1) / tileRows));
    for (TriangleId t = 0; t < mesh.triangleCount(); ++t) {
        const Triangle& triangle = mesh.triangles[t];
        const float a = places[triangle[0]].y(), b = places[triangle[1]].y(), c = places[triangle[2]].y();
        const PixelRange rows = overlap({0, height - 1}, middlesBetween(std::min({a, b, c}), std::max({a, b, c})));
        for (int tile = rows.first / tileRows; rows.first <= rows.last && tile <= rows.last / tileRows; ++tile)
            tiles[std::size_t(tile)].push_back(t);
    }
    return tiles;
}

}  // namespace

TriangleMap drawTriangles(const Mesh& mesh, const FlatView& view, int width, int height, int across) {
    TriangleMap map;
    map.width = width * across;
    map.height = height * across;
    const std::size_t samples = std::size_t(map.width) * std::size_t(map.height);
    map.triangles.assign(samples, TriangleMap::nothing);
    map.depths.assign(samples, -std::numeric_limits<float>::max());
    const double scale = view.pixelsPerUnit * across;
    std::vector<Vec3f> places(mesh.vertexCount());
    parallelFor(places.size(), [&](std::size_t v) {
        const Vec3d turned = view.turn * (mesh.positions[v].cast<double>() - view.middle);
        places[v] = Vec3d(map.width / 2.0 + turned.x() * scale, map.height / 2.0 - turned.y() * scale, turned.z())
                        .cast<float>();
    });
    const std::vector<std::vector<TriangleId>> tiles = sortIntoTiles(mesh, places, map.height);
    parallelFor(
        tiles.size(),
        [&](std::size_t tile) {
            const int from = int(tile) * tileRows, to = std::min(map.height, from + tileRows);
            for (const TriangleId t : tiles[tile]) {
                const Triangle& triangle = mesh.triangles[t];
                drawOne(map, places[triangle[0]], places[triangle[1]], places[triangle[2]], t, from, to);
            }
        },
        1);
    return map;
}

Picture drawClay(const Mesh& mesh, const FlatView& view, int width, int height) {
    constexpr int across = 2;
    const TriangleMap map = drawTriangles(mesh, view, width, height, across);
    Picture picture(width, height, ground);
    const Vec3d light = Vec3d(-0.45, 0.65, 0.62).normalized();
    parallelFor(
        std::size_t(height),
        [&](std::size_t y) {
            for (int x = 0; x < width; ++x) {
                std::array<double, 3> sum{};
                for (int sample = 0; sample < across * across; ++sample) {
                    const std::size_t at = (y * across + std::size_t(sample / across)) * std::size_t(map.width) +
                                           std::size_t(x * across + sample % across);
                    double shade = -1;
                    if (map.triangles[at] != TriangleMap::nothing) {
                        const Triangle& t = mesh.triangles[map.triangles[at]];
                        const Vec3d normal = (view.turn * areaNormal(mesh.positions[t[0]].cast<double>(),
                                                                     mesh.positions[t[1]].cast<double>(),
                                                                     mesh.positions[t[2]].cast<double>()))
                                                 .normalized();
                        // Backs are lit like fronts: what is turned over is told by the findings.
                        shade = 0.32 + 0.72 * std::max(0.0, (normal.z() < 0 ? Vec3d(-normal) : normal).dot(light));
                    }
                    for (std::size_t i = 0; i < 3; ++i)
                        sum[i] += shade < 0 ? double(ground[i]) : std::min(255.0, clay[i] * shade);
                }
                for (std::size_t i = 0; i < 3; ++i)
                    picture.at(x, int(y))[i] = std::uint8_t(std::lround(sum[i] / (across * across)));
            }
        },
        16);
    return picture;
}

std::string pngOf(const Picture& picture) {
    std::string bytes;
    const auto append = [](void* to, void* data, int size) {
        static_cast<std::string*>(to)->append(static_cast<const char*>(data), std::size_t(size));
    };
    if (stbi_write_png_to_func(append, &bytes, picture.width, picture.height, 3, picture.pixels.data(),
                               picture.width * 3) == 0)
        throw MeshError("A picture could not be made; close other programs and try again.");
    return bytes;
}

}  // namespace um
