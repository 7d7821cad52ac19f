#include "bake/LookDifference.h"

#include "base/Parallel.h"
#include "draw/Picture.h"
#include "measure/Silhouette.h"

#include <cmath>

namespace um {
namespace {

constexpr int lookSamplesAcross = 2;  // samples along a pixel
constexpr double largestLook = 512;

// Light on each pixel of a picture, and how many of its samples are covered.
struct Lights {
    std::vector<Vec3f> sum;
    std::vector<std::uint8_t> samples;
};

// What a place sends to the eye: matte, but for metal, which shows its colour as strongly.
Vec3f lightFrom(const SurfaceLook& look, const Vec3f& normal) {
    static const Vec3f lamp = Vec3f(-0.45f, 0.65f, 0.62f).normalized();
    const float around = (0.3f + 0.12f * normal.y()) * look.occlusion;
    return look.baseColor * (around + 0.7f * std::max(0.0f, normal.dot(lamp))) + look.emission;
}

Lights draw(const SurfaceMaterial& material, const FlatView& view, int pixels) {
    const Mesh& mesh = material.mesh();
    const TriangleMap map = drawTriangles(mesh, view, pixels, pixels, lookSamplesAcross);
    const double scale = view.pixelsPerUnit * lookSamplesAcross;
    const Eigen::Matrix3f turn = view.turn.cast<float>();
    Lights lights;
    lights.sum.assign(std::size_t(pixels) * std::size_t(pixels), Vec3f::Zero());
    lights.samples.assign(lights.sum.size(), 0);
    parallelFor(
        std::size_t(pixels),
        [&](std::size_t row) {
            for (int y = int(row) * lookSamplesAcross; y < (int(row) + 1) * lookSamplesAcross; ++y)
                for (int x = 0; x < map.width; ++x) {
                    const TriangleId t = map.triangles[std::size_t(y) * std::size_t(map.width) + std::size_t(x)];
                    if (t == TriangleMap::nothing) continue;
                    std::array<Vec2d, 3> places;
                    for (std::size_t k = 0; k < 3; ++k) {
                        const Vec3d from = mesh.positions[mesh.triangles[t][k]].cast<double>() - view.middle;
                        places[k] = {map.width / 2.0 + view.turn.row(0).dot(from) * scale,
                                     map.height / 2.0 - view.turn.row(1).dot(from) * scale};
                    }
                    const auto cross = [](const Vec2d& a, const Vec2d& b) { return a.x() * b.y() - a.y() * b.x(); };
                    const Vec2d p = Vec2d(x + 0.5, y + 0.5) - places[0];
                    const double area = cross(places[1] - places[0], places[2] - places[0]);
                    const double b = area != 0 ? cross(p, places[2] - places[0]) / area : 0;
                    const double c = area != 0 ? cross(places[1] - places[0], p) / area : 0;
                    const SurfaceLook look = material.look(t, Vec3d(1 - b - c, b, c).cast<float>());
                    Vec3f normal = turn * look.normal;
                    if (normal.z() < 0 && material.materialOf(t).doubleSided) normal = -normal;
                    const std::size_t pixel = row * std::size_t(pixels) + std::size_t(x / lookSamplesAcross);
                    lights.sum[pixel] += lightFrom(look, normal);
                    ++lights.samples[pixel];
                }
        },
        8);
    return lights;
}

// CIELAB of linear sRGB, white D65.
Vec3d labOf(const Vec3f& light) {
    const Vec3d rgb = light.cast<double>().cwiseMax(0).cwiseMin(1);
    const auto f = [](double v) { return v > 216.0 / 24389 ? std::cbrt(v) : (v * 24389 / 27 + 16) / 116; };
    const double x = f((0.4124564 * rgb.x() + 0.3575761 * rgb.y() + 0.1804375 * rgb.z()) / 0.95047);
    const double y = f(0.2126729 * rgb.x() + 0.7151522 * rgb.y() + 0.0721750 * rgb.z());
    const double z = f((0.0193339 * rgb.x() + 0.1191920 * rgb.y() + 0.9503041 * rgb.z()) / 1.08883);
    return {116 * y - 16, 500 * (x - y), 200 * (y - z)};
}

}  // namespace

LookDifference measureLook(const SurfaceMaterial& source, const SurfaceMaterial& level, double pixelsPerUnit,
                           const Progress& progress) {
    LookDifference result;
    Box3f box = boundingBox(source.mesh());
    box.extend(boundingBox(level.mesh()));
    const double size = box.isEmpty() ? 0 : double((box.max() - box.min()).norm());
    if (!(size > 0) || !(pixelsPerUnit > 0)) return result;
    const double drawn = std::min(pixelsPerUnit, largestLook / size);
    const int pixels = int(std::ceil(size * drawn)) + 2;
    const std::vector<Direction> directions = viewDirections(26);
    std::vector<float> all;
    double sum = 0;
    for (std::size_t i = 0; i < directions.size(); ++i) {
        progress.at(double(i) / double(directions.size()));
        const FlatView view{directions[i].turn(), box.center().cast<double>(), drawn};
        const Lights a = draw(source, view, pixels), b = draw(level, view, pixels);
        double here = 0, covered = 0;
        for (std::size_t p = 0; p < a.sum.size(); ++p) {
            // At the outline something else is compared than the look: how far that is off.
            if (a.samples[p] != lookSamplesAcross * lookSamplesAcross ||
                b.samples[p] != lookSamplesAcross * lookSamplesAcross)
                continue;
            const double off = (labOf(a.sum[p] / float(lookSamplesAcross * lookSamplesAcross)) -
                                labOf(b.sum[p] / float(lookSamplesAcross * lookSamplesAcross)))
                                   .norm();
            here += off;
            all.push_back(float(off));
            ++covered;
        }
        sum += here;
        result.covered += covered / double(directions.size());
        if (covered > 0 && here / covered > result.worst) {
            result.worst = here / covered;
            result.azimuth = directions[i].azimuth;
            result.elevation = directions[i].elevation;
        }
    }
    if (!all.empty()) {
        result.mean = sum / double(all.size());
        const auto place = all.begin() + long(0.95 * double(all.size() - 1));
        std::nth_element(all.begin(), place, all.end());
        result.p95 = double(*place);
    }
    progress.at(1);
    return result;
}

}  // namespace um
