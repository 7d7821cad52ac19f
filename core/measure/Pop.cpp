#include "measure/Pop.h"

#include "base/Parallel.h"
#include "draw/Picture.h"
#include "files/Image.h"
#include "measure/Silhouette.h"
#include "mesh/Normals.h"

#include <cmath>
#include <optional>

namespace um {
namespace {

constexpr int popSamplesAcross = 2;  // samples along a pixel
constexpr double largestPop = 512;
constexpr double clayValue = 199, creaseDegrees = 50;

// CIELAB's lightness of a light of 0 to 1.
double lightnessOf(double light) {
    return light > 216.0 / 24389 ? 116 * std::cbrt(light) - 16 : light * 24389 / 27;
}

struct Shades {
    std::vector<float> covered;    // share of each pixel
    std::vector<float> lightness;  // mean over its covered samples
};

class Painter {
public:
    explicit Painter(const Mesh& mesh) {
        if (!mesh.normals.empty()) {
            m_mesh = &mesh;
            return;
        }
        m_smooth = mesh;
        makeNormals(*m_smooth, creaseDegrees);
        m_mesh = &*m_smooth;
    }

    Shades draw(const FlatView& view, int width, int height) const {
        const Mesh& mesh = *m_mesh;
        const TriangleMap map = drawTriangles(mesh, view, width, height, popSamplesAcross);
        Shades shades;
        shades.covered.assign(std::size_t(width) * std::size_t(height), 0);
        shades.lightness = shades.covered;
        parallelFor(
            std::size_t(height),
            [&](std::size_t row) {
                for (int y = int(row) * popSamplesAcross; y < (int(row) + 1) * popSamplesAcross; ++y)
                    for (int x = 0; x < map.width; ++x) {
                        const TriangleId t = map.triangles[std::size_t(y) * std::size_t(map.width) + std::size_t(x)];
                        if (t == TriangleMap::nothing) continue;
                        const std::size_t pixel = row * std::size_t(width) + std::size_t(x / popSamplesAcross);
                        shades.covered[pixel] += 1.0f / (popSamplesAcross * popSamplesAcross);
                        shades.lightness[pixel] += float(lightnessAt(view, map, t, x, y));
                    }
                for (std::size_t i = row * std::size_t(width); i < (row + 1) * std::size_t(width); ++i)
                    if (shades.covered[i] > 0)
                        shades.lightness[i] /= shades.covered[i] * popSamplesAcross * popSamplesAcross;
            },
            8);
        return shades;
    }

private:
    // Where the sample lies in its triangle tells how the normals at its corners mix.
    double lightnessAt(const FlatView& view, const TriangleMap& map, TriangleId t, int x, int y) const {
        static const Vec3d light = Vec3d(-0.45, 0.65, 0.62).normalized();
        const Mesh& mesh = *m_mesh;
        const double scale = view.pixelsPerUnit * popSamplesAcross;
        std::array<Eigen::Vector2d, 3> places;
        for (std::size_t k = 0; k < 3; ++k) {
            const Vec3d from = mesh.positions[mesh.triangles[t][k]].cast<double>() - view.middle;
            places[k] = {map.width / 2.0 + view.turn.row(0).dot(from) * scale,
                         map.height / 2.0 - view.turn.row(1).dot(from) * scale};
        }
        const Eigen::Vector2d p(x + 0.5, y + 0.5);
        const auto cross = [](const Eigen::Vector2d& a, const Eigen::Vector2d& b) {
            return a.x() * b.y() - a.y() * b.x();
        };
        const double area = cross(places[1] - places[0], places[2] - places[0]);
        const double b = area != 0 ? cross(p - places[0], places[2] - places[0]) / area : 0;
        const double c = area != 0 ? cross(places[1] - places[0], p - places[0]) / area : 0;
        const Triangle& w = mesh.wedgesOf(t);
        const Vec3d normal =
            (view.turn * ((1 - b - c) * mesh.normals[w[0]].cast<double>() + b * mesh.normals[w[1]].cast<double>() +
                          c * mesh.normals[w[2]].cast<double>()))
                .normalized();
        const double shade = 0.32 + 0.72 * std::max(0.0, (normal.z() < 0 ? Vec3d(-normal) : normal).dot(light));
        return lightnessOf(lightOf(std::uint8_t(std::min(255.0, clayValue * shade))));
    }

    const Mesh* m_mesh = nullptr;
    std::optional<Mesh> m_smooth;
};

}  // namespace

Pop measurePop(const Mesh& before, const Mesh& after, double pixelsPerUnit, const Progress& progress) {
    Pop pop;
    Box3f box = boundingBox(before);
    box.extend(boundingBox(after));
    const double size = box.isEmpty() ? 0 : double((box.max() - box.min()).norm());
    if (!(size > 0) || !(pixelsPerUnit > 0)) return pop;
    const double drawn = std::min(pixelsPerUnit, largestPop / size);
    const double up = pixelsPerUnit / drawn * (pixelsPerUnit / drawn);
    const int pixels = int(std::ceil(size * drawn)) + 2;
    const Painter first(before), second(after);
    const std::vector<Direction> directions = viewDirections(26);
    double most = -1;
    for (std::size_t i = 0; i < directions.size(); ++i) {
        progress.at(double(i) / double(directions.size()));
        const FlatView view{directions[i].turn(), box.center().cast<double>(), drawn};
        const Shades a = first.draw(view, pixels, pixels), b = second.draw(view, pixels, pixels);
        double outline = 0, shading = 0, covered = 0;
        for (std::size_t p = 0; p < a.covered.size(); ++p) {
            outline += std::abs(double(a.covered[p]) - double(b.covered[p]));
            covered += double(std::max(a.covered[p], b.covered[p]));
            const double both = double(std::min(a.covered[p], b.covered[p]));
            if (both > 0 && std::abs(double(a.lightness[p]) - double(b.lightness[p])) > visibleStep) shading += both;
        }
        pop.outline += outline * up / double(directions.size());
        pop.shading += shading * up / double(directions.size());
        pop.covered += covered * up / double(directions.size());
        if (outline + shading > most) {
            most = outline + shading;
            pop.worstOutline = outline * up;
            pop.worstShading = shading * up;
        }
    }
    progress.at(1);
    return pop;
}

}  // namespace um
