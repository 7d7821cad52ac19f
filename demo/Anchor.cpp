#include "demo/Anchor.h"

#include "demo/Grid.h"
#include "demo/Noise.h"

#include <cmath>
#include <functional>

namespace um::demo {

namespace {

struct AnchorPart {
    enum Number : std::uint32_t { Shank, Arms, Flukes, Stock, Ring, Crust };
};
struct AnchorMaterial {
    enum Number : std::uint32_t { Iron, Wood, Shell };
};

// Rust eats pits and raises scabs.
double corrosion(const Vec3d& p) {
    const double scabs = 0.0035 * smoothStep(0.1, 0.6, noise(p * 9, 91));
    const double pits = -0.0050 * smoothStep(0.45, 0.7, noise(p * 34, 92));
    return scabs + pits + 0.0012 * fractalNoise(p * 60, 3, 93);
}

// A bar along a curve, with half widths by place; closed by poles unless it runs in a ring.
void addBar(Mesh& mesh, std::uint32_t part, std::uint32_t material, std::size_t around, std::size_t along,
            const std::function<Vec3d(double)>& line, const std::function<Eigen::Vector2d(double)>& halfWidths,
            const Vec3d& sideways, bool isRing) {
    const Grid grid{around, along, true, isRing, !isRing, !isRing};
    addGrid(
        mesh, part, material, grid,
        [&](double u, double v) -> Vec3d {
            const Vec3d ahead = (line(v + 1e-4) - line(v - 1e-4)).normalized();
            const Vec3d side = (sideways - ahead * ahead.dot(sideways)).normalized();
            const Vec3d up = ahead.cross(side);
            const double angle = 2 * pi * u;
            // Forged bars: octagons with soft edges.
            const double square =
                std::pow(std::pow(std::abs(std::cos(angle)), 4) + std::pow(std::abs(std::sin(angle)), 4), -0.25);
            Eigen::Vector2d half = halfWidths(v);
            if (!isRing) half *= std::sqrt(std::max(0.0, 1 - std::pow(std::abs(2 * v - 1), 40)));
            const Vec3d out = side * half.x() * square * std::cos(angle) + up * half.y() * square * std::sin(angle);
            const Vec3d p = line(v) + out;
            return out.norm() > 1e-9 ? Vec3d(p + out.normalized() * corrosion(p)) : p;
        },
        true);
}

// A leaf-shaped plate with a ridge, at the end of an arm.
void addFluke(Mesh& mesh, double side) {
    const Grid grid{160, 220, true, false, true, true};
    addGrid(
        mesh, AnchorPart::Flukes, AnchorMaterial::Iron, grid,
        [&](double u, double v) -> Vec3d {
            const double angle = -side * 2 * pi * u;
            const double wide = 0.20 * std::pow(std::sin(pi * std::pow(v, 0.75)), 0.8);
            const double thick = 0.022 * std::sqrt(std::max(0.0, 1 - std::pow(2 * v - 1, 8)));
            const double along = -0.20 + 0.52 * v;
            const Vec3d middle(side * (0.80 + 0.22 * along), 0.42 + 0.95 * along, 0);
            const Vec3d flat(side * 0.95, -0.30, 0);
            const double ridge = 1 + 0.9 * std::pow(std::max(0.0, std::sin(angle)), 12);
            const Vec3d out =
                Vec3d::UnitZ() * wide * std::cos(angle) - flat.normalized() * thick * ridge * std::sin(angle);
            const Vec3d p = middle + out;
            return out.norm() > 1e-9 ? Vec3d(p + flat.normalized() * (std::sin(angle) < 0 ? 1 : -1) * corrosion(p)) : p;
        },
        true);
}

void addCrust(Mesh& mesh, std::uint32_t index) {
    const double height = 0.25 + 1.9 * random(95, index);
    const double turn = 2 * pi * random(96, index);
    const double size = 0.006 + 0.014 * random(97, index);
    const Vec3d middle(0.055 * std::cos(turn), height, 0.055 * std::sin(turn));
    addGrid(
        mesh, AnchorPart::Crust, AnchorMaterial::Shell, {24, 14, true, false, true, true},
        [&](double u, double v) -> Vec3d {
            const double a = 2 * pi * u, b = pi * v;
            const Vec3d d(std::sin(b) * std::cos(a), -std::cos(b), -std::sin(b) * std::sin(a));
            return middle + size * (1 + 0.2 * noise(d * 2, 100 + index)) * d;
        },
        true);
}

Material material(const char* name, std::array<float, 4> color, float metallic, float roughness) {
    Material result;
    result.name = name;
    result.baseColor = color;
    result.metallic = metallic;
    result.roughness = roughness;
    return result;
}

}  // namespace

Mesh makeAnchor() {
    Mesh mesh;
    mesh.parts = {{"Shank"}, {"Arms"}, {"Flukes"}, {"Stock"}, {"Ring"}, {"Crust"}};
    mesh.materials = {material("rusted iron", {0.33f, 0.20f, 0.13f, 1}, 0.4f, 0.8f),
                      material("oak", {0.30f, 0.22f, 0.14f, 1}, 0, 0.85f),
                      material("shell", {0.72f, 0.69f, 0.62f, 1}, 0, 0.7f)};
    mesh.metresPerUnit = 1;
    mesh.unitStated = true;
    addBar(
        mesh, AnchorPart::Shank, AnchorMaterial::Iron, 120, 800, [](double v) { return Vec3d(0, 0.10 + 2.3 * v, 0); },
        [](double v) { return Eigen::Vector2d(0.062 - 0.026 * v, 0.050 - 0.020 * v); }, Vec3d::UnitX(), false);
    // The arms are a bow through the crown.
    addBar(
        mesh, AnchorPart::Arms, AnchorMaterial::Iron, 120, 700,
        [](double v) {
            const double a = 1.15 * (2 * v - 1);
            return Vec3d(1.0 * std::sin(a), 0.12 + 1.05 * (1 - std::cos(a)), 0);
        },
        [](double v) {
            const double end = std::abs(2 * v - 1);
            return Eigen::Vector2d(0.070 - 0.050 * end, 0.055 - 0.035 * end);
        },
        Vec3d::UnitZ(), false);
    for (const double side : {1.0, -1.0}) addFluke(mesh, side);
    addBar(
        mesh, AnchorPart::Stock, AnchorMaterial::Wood, 100, 600,
        [](double v) { return Vec3d(0, 2.15, 2.2 * (v - 0.5)); },
        [](double v) {
            const double end = std::abs(2 * v - 1);
            return Eigen::Vector2d(0.085 - 0.035 * end, 0.085 - 0.035 * end);
        },
        Vec3d::UnitX(), false);
    addBar(
        mesh, AnchorPart::Ring, AnchorMaterial::Iron, 60, 500,
        [](double v) {
            const double a = 2 * pi * v;
            return Vec3d(0.17 * std::cos(a), 2.52 + 0.17 * std::sin(a), 0);
        },
        [](double) { return Eigen::Vector2d(0.020, 0.020); }, Vec3d::UnitZ(), true);
    for (std::uint32_t i = 0; i < 40; ++i) addCrust(mesh, i);
    return mesh;
}

}  // namespace um::demo
