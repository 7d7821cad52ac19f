#include "demo/CoralHead.h"

#include "base/File.h"
#include "base/Parallel.h"
#include "demo/Grid.h"
#include "demo/Noise.h"

#include <cmath>
#include <cstring>

namespace um::demo {
namespace {

constexpr double headRadius = 0.23;
constexpr double rimAngle = 2.05;  // from the top down; below it the coral was broken off

// A square onto a disk: concentric squares become concentric circles, so that cells keep their size.
// Source: Shirley & Chiu 1997, Journal of Graphics Tools 2(3).
void squareToDisk(double a, double b, double& distance, double& angle) {
    if (a == 0 && b == 0) {
        distance = angle = 0;
    } else if (std::abs(a) > std::abs(b)) {
        distance = a;
        angle = pi / 4 * b / a;
    } else {
        distance = b;
        angle = pi / 2 - pi / 4 * a / b;
    }
}

Vec3d surface(double u, double v) {
    double distance = 0;
    double angle = 0;
    squareToDisk(2 * u - 1, 2 * v - 1, distance, angle);
    const double polar = distance * rimAngle;
    const Vec3d out(std::sin(polar) * std::cos(angle), std::cos(polar), -std::sin(polar) * std::sin(angle));

    // Lobes, then the meandering ridges and valleys: contour lines of a warped noise.
    const double lobes = 0.030 * noise(out * 1.7, 11) + 0.022 * noise(out * 3.3, 12);
    const Vec3d bent = out + 0.12 * Vec3d(noise(out * 3.1, 21), noise(out * 3.1, 22), noise(out * 3.1, 23));
    const double phase = noise(bent * 3.2, 31) * 4.6 + noise(bent * 6.9, 32) * 1.1;
    const double wave = 0.5 + 0.5 * std::cos(2 * pi * phase);
    const double ridge = 0.0085 * (1 - std::pow(1 - wave, 2.2));
    // Rows of polyps roughen the ridges' flanks; pits and what the scanner adds lie over everything.
    const double polyps = 0.0011 * wave * (1 - wave) * 4 * noise(out * 95, 41);
    const double pits = -0.0022 * smoothStep(0.45, 0.75, noise(out * 26, 51));
    const double grain = 0.00035 * fractalNoise(out * 170, 3, 61);
    const double foot = -0.035 * smoothStep(1.55, rimAngle, polar);
    Vec3d p = out * (headRadius + lobes + ridge + polyps + pits + grain + foot);
    p.y() *= 0.86;
    return p + Vec3d(0, 0.1, 0);
}

std::size_t cellsAcross(std::size_t triangles) {
    return std::max<std::size_t>(2, std::size_t(std::lround(std::sqrt(double(triangles) / 2))));
}

}  // namespace

Mesh makeCoralHead(std::size_t triangles) {
    Mesh mesh;
    mesh.parts.push_back({"Coral head"});
    Material stone;
    stone.name = "coral";
    stone.baseColor = {0.60f, 0.50f, 0.39f, 1};
    stone.roughness = 0.9f;
    mesh.materials.push_back(stone);
    mesh.unitStated = true;
    Grid grid;
    grid.columns = grid.rows = cellsAcross(triangles);
    addGrid(mesh, 0, 0, grid, surface, false);
    return mesh;
}

std::size_t writeCoralHead(std::size_t triangles, const std::filesystem::path& file) {
    const std::size_t cells = cellsAcross(triangles);
    const std::size_t count = 2 * cells * cells;
    struct Record {
        std::array<char, 12> normal{};
        std::array<Vec3f, 3> corners;
    };
    constexpr std::size_t recordSize = 50;
    const auto makeRow = [&](std::size_t row, std::vector<Vec3f>& points) {
        points.resize(cells + 1);
        parallelFor(
            points.size(),
            [&](std::size_t column) {
                points[column] = surface(double(column) / double(cells), double(row) / double(cells)).cast<float>();
            },
            64);
    };
    writeWhole(file, [&](FileWriter& writer) {
        std::array<char, 80> header{};
        std::snprintf(header.data(), header.size(), "coral head  unit: m");
        writer.write(header.data(), header.size());
        const auto stated = std::uint32_t(count);
        writer.write(&stated, sizeof stated);
        std::vector<Vec3f> below, above;
        std::vector<char> bytes(2 * cells * recordSize);
        makeRow(0, below);
        for (std::size_t row = 0; row < cells; ++row) {
            makeRow(row + 1, above);
            parallelFor(
                cells,
                [&](std::size_t column) {
                    const Vec3f &a = below[column], &b = below[column + 1], &c = above[column + 1], &d = above[column];
                    const bool slash = (row + column) % 2 == 0;
                    const std::array<Record, 2> pair = {Record{{}, {a, b, slash ? c : d}},
                                                        slash ? Record{{}, {a, c, d}} : Record{{}, {b, c, d}}};
                    for (std::size_t i = 0; i < 2; ++i)
                        std::memcpy(bytes.data() + (2 * column + i) * recordSize, &pair[i], sizeof(Record));
                },
                512);
            writer.write(bytes.data(), bytes.size());
            std::swap(below, above);
        }
    });
    return count;
}

}  // namespace um::demo
