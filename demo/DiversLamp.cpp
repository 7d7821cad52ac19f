#include "demo/DiversLamp.h"

#include "base/Parallel.h"
#include "demo/Grid.h"
#include "demo/Noise.h"
#include "files/Image.h"
#include "mesh/Normals.h"

#include <cmath>

namespace um::demo {
namespace {

struct LampPart {
    enum Number : std::uint32_t { Body, Rings, CageLeft, CageRight, Grip, Glass, Bulb, Reflector, Screws };
};
struct LampMaterial {
    enum Number : std::uint32_t { Brass, RedPaint, WornPaint, Rubber, ClearGlass, Filament };
};

struct ProfileRing {
    double radius, height;
};

// A turned shape: the profile's corners are rounded by `bevel`, as a lathe and a file leave them.
class Lathe {
public:
    Lathe(std::vector<ProfileRing> profile, double bevel) {
        for (std::size_t i = 0; i < profile.size(); ++i) {
            const Vec2d here(profile[i].radius, profile[i].height);
            if (i == 0 || i + 1 == profile.size()) {
                m_points.push_back(here);
                continue;
            }
            const Vec2d before = Vec2d(profile[i - 1].radius, profile[i - 1].height) - here;
            const Vec2d after = Vec2d(profile[i + 1].radius, profile[i + 1].height) - here;
            const double reach = std::min({bevel, before.norm() / 2.1, after.norm() / 2.1});
            const Vec2d from = here + before.normalized() * reach, to = here + after.normalized() * reach;
            constexpr int steps = 5;
            for (int s = 0; s <= steps; ++s) {
                const double t = double(s) / steps;
                m_points.push_back((1 - t) * (1 - t) * from + 2 * t * (1 - t) * here + t * t * to);
            }
        }
        m_lengths.push_back(0);
        for (std::size_t i = 1; i < m_points.size(); ++i)
            m_lengths.push_back(m_lengths.back() + (m_points[i] - m_points[i - 1]).norm());
    }

    // By length along the profile, 0 to 1.
    Vec2d at(double v) const {
        const double wanted = std::clamp(v, 0.0, 1.0) * m_lengths.back();
        const auto next = std::upper_bound(m_lengths.begin() + 1, m_lengths.end() - 1, wanted);
        const auto i = std::size_t(next - m_lengths.begin());
        const double share = (wanted - m_lengths[i - 1]) / (m_lengths[i] - m_lengths[i - 1]);
        return m_points[i - 1] + share * (m_points[i] - m_points[i - 1]);
    }

private:
    std::vector<Vec2d> m_points;
    std::vector<double> m_lengths;
};

Vec3d turnedBy(double angle, double radius, double height) {
    return {std::cos(angle) * radius, height, -std::sin(angle) * radius};
}

void addTurned(Mesh& mesh, LampPart::Number part, LampMaterial::Number material, const Lathe& lathe,
               std::size_t columns, std::size_t rows, double tiles,
               const std::function<double(const Vec3d& place, double angle)>& relief = {}) {
    Grid grid;
    grid.columns = columns;
    grid.rows = rows;
    grid.closedAlongU = true;
    grid.poleAtStart = lathe.at(0).x() < 1e-9;
    grid.poleAtEnd = lathe.at(1).x() < 1e-9;
    const std::size_t first = mesh.uvs.size();
    addGrid(
        mesh, part, material, grid,
        [&](double u, double v) {
            const Vec2d p = lathe.at(v);
            const double angle = 2 * pi * u;
            const double rise = relief ? relief(turnedBy(angle, p.x(), p.y()), angle) : 0;
            return turnedBy(angle, p.x() + rise, p.y());
        },
        true);
    for (std::size_t i = first; i < mesh.uvs.size(); ++i) mesh.uvs[i] *= float(tiles);
}

// A bar along a path, of a round section.
void addBar(Mesh& mesh, LampPart::Number part, LampMaterial::Number material, double radius, std::size_t columns,
            std::size_t rows, const std::function<Vec3d(double)>& path) {
    Grid grid;
    grid.columns = columns;
    grid.rows = rows;
    grid.closedAlongU = true;
    addGrid(
        mesh, part, material, grid,
        [&](double u, double v) {
            constexpr double step = 1e-3;
            const Vec3d along = (path(std::min(1.0, v + step)) - path(std::max(0.0, v - step))).normalized();
            const Vec3d side = along.cross(Vec3d(0, 0, 1)).norm() > 0.1
                                   ? Vec3d(along.cross(Vec3d(0, 0, 1)).normalized())
                                   : Vec3d(along.unitOrthogonal());
            const Vec3d other = along.cross(side);
            const double angle = 2 * pi * u;
            return Vec3d(path(v) + radius * (std::cos(angle) * side + std::sin(angle) * other));
        },
        true);
}

// Half of the cage around the glass: three uprights, joined by hoops. The other half is its mirror image, with the
// same UVs.
void addCageHalf(Mesh& mesh, LampPart::Number part, double side) {
    const std::size_t firstTriangle = mesh.triangles.size(), firstVertex = mesh.positions.size();
    for (int bar = 0; bar < 3; ++bar) {
        const double angle = (bar - 1) * pi / 3;
        addBar(mesh, part, LampMaterial::WornPaint, 0.0032, 24, 180, [&](double t) {
            const double height = 0.098 + 0.144 * t;
            const double radius = 0.058 + 0.006 * std::sin(pi * t);
            return turnedBy(angle, radius, height);
        });
    }
    for (int hoop = 0; hoop < 3; ++hoop)
        addBar(mesh, part, LampMaterial::WornPaint, 0.0028, 20, 150, [&](double t) {
            const double share = 0.25 + 0.25 * hoop;
            const double angle = (t - 0.5) * pi;
            return turnedBy(angle, 0.0655 + 0.006 * std::sin(pi * share) - 0.006, 0.098 + 0.144 * share);
        });
    if (side > 0) return;
    for (std::size_t v = firstVertex; v < mesh.positions.size(); ++v) mesh.positions[v].x() *= -1;
    // What was mirrored is turned inside out.
    for (std::size_t t = firstTriangle; t < mesh.triangles.size(); ++t) {
        std::swap(mesh.triangles[t][1], mesh.triangles[t][2]);
        std::swap(mesh.wedges[t][1], mesh.wedges[t][2]);
    }
}

void addScrews(Mesh& mesh) {
    for (int ring = 0; ring < 2; ++ring)
        for (int i = 0; i < 12; ++i) {
            const double angle = 2 * pi * (i + 0.5) / 12;
            const double height = ring == 0 ? 0.0935 : 0.2465;
            const Lathe head({{0, 0.0032}, {0.0022, 0.0030}, {0.0036, 0.0014}, {0.0036, -0.001}}, 0.0004);
            Grid grid;
            grid.columns = 36;
            grid.rows = 16;
            grid.closedAlongU = grid.poleAtStart = true;
            addGrid(
                mesh, LampPart::Screws, LampMaterial::Brass, grid,
                [&](double u, double v) {
                    const Vec2d p = head.at(v);
                    const double around = -2 * pi * u;
                    // A slot across the head.
                    const double across = std::abs(p.x() * std::sin(around));
                    const double slot = p.y() > 0.001 ? 0.0011 * (1 - smoothStep(0.0003, 0.0006, across)) : 0;
                    const Vec3d out(std::cos(angle), 0, -std::sin(angle)), up(0, 1, 0), along = up.cross(out);
                    return Vec3d(turnedBy(angle, 0.0635, height) + out * (p.y() - slot) +
                                 p.x() * (std::cos(around) * along + std::sin(around) * up));
                },
                true);
        }
}

using Texel = std::array<std::uint8_t, 4>;

template <class Value>
Texture texture(const char* name, int size, const Value& value) {
    Image image;
    image.width = image.height = size;
    image.texels.resize(std::size_t(size) * std::size_t(size));
    parallelFor(
        image.texels.size(),
        [&](std::size_t i) {
            const auto n = std::size_t(size);
            image.texels[i] = value((double(i % n) + 0.5) / size, 1 - (double(i / n) + 0.5) / size);
        },
        4096);
    for (const Texel& texel : image.texels) image.hasAlpha = image.hasAlpha || texel[3] < 255;
    return {name, "image/png", std::make_shared<const std::string>(pngOf(image)), size, size};
}

Texel texelOf(const Vec3d& value, double alpha = 1) {
    const auto byte = [](double v) { return std::uint8_t(std::lround(std::clamp(v, 0.0, 1.0) * 255)); };
    return {byte(value.x()), byte(value.y()), byte(value.z()), byte(alpha)};
}

// Noise that has no seam where u or v goes round.
double round2(double u, double v, double across, int octaves, std::uint32_t seed) {
    const double a = 2 * pi * u, b = 2 * pi * v;
    return fractalNoise(Vec3d(std::cos(a) + 2, std::sin(a) + std::cos(b), std::sin(b)) * across / (2 * pi), octaves,
                        seed);
}

// The normals of a relief that goes round, as a normal map.
template <class Height>
Texture normalMap(const char* name, int size, double steepness, const Height& height) {
    return texture(name, size, [&](double u, double v) {
        const double step = 0.5 / size;
        const double du = (height(u + step, v) - height(u - step, v)) * steepness;
        const double dv = (height(u, v + step) - height(u, v - step)) * steepness;
        const Vec3d n = Vec3d(-du, -dv, 1).normalized();
        return texelOf((n + Vec3d::Ones()) / 2);
    });
}

// Brass tarnishes in the hollows of its brushed grain; the texture tiles.
double grain(double u, double v) {
    return 0.5 * round2(u, v, 9, 4, 71) + 0.35 * std::sin(2 * pi * 64 * v + 3 * round2(u, v, 5, 3, 72));
}

double paintLoss(double u, double v, std::uint32_t seed) {
    return smoothStep(0.18, 0.30, round2(u, v, 11, 5, seed) + 0.35 * round2(u, v, 3, 2, seed + 1));
}

void addMaterials(Mesh& mesh) {
    mesh.materials.resize(6);
    const auto add = [&](TextureUse& use, Texture made) {
        use.texture = int(mesh.textures.size());
        mesh.textures.push_back(std::move(made));
    };
    Material& brass = mesh.materials[LampMaterial::Brass];
    brass.name = "brass";
    brass.baseColor = {1, 1, 1, 1};
    brass.metallic = brass.roughness = 1;
    add(brass.baseColorTexture, texture("brass color", 1024, [](double u, double v) {
            const double tarnish = smoothStep(-0.2, 0.5, round2(u, v, 5, 5, 73));
            const Vec3d bright(0.86, 0.68, 0.36), dull(0.36, 0.30, 0.17), green(0.30, 0.46, 0.38);
            Vec3d color = bright + tarnish * (dull - bright);
            color += smoothStep(0.25, 0.5, round2(u, v, 8, 4, 74)) * 0.7 * (green - color);
            return texelOf(color + Vec3d::Constant(0.03 * grain(u, v)));
        }));
    add(brass.normalTexture, normalMap("brass normal", 1024, 0.012, grain));
    add(brass.metallicRoughnessTexture, texture("brass surface", 512, [](double u, double v) {
            const double tarnish = smoothStep(-0.2, 0.5, round2(u, v, 5, 5, 73));
            return texelOf({1, 0.28 + 0.42 * tarnish + 0.06 * grain(u, v), 1 - 0.5 * tarnish});
        }));
    add(brass.occlusionTexture, texture("brass occlusion", 256, [](double u, double v) {
            const double hollow = 1 - 0.25 * smoothStep(0.0, 0.6, -grain(u, v));
            return texelOf(Vec3d::Constant(hollow));
        }));
    const auto paint = [&](Material& material, const char* name, const Vec3d& color, int size, std::uint32_t seed) {
        material.name = name;
        material.baseColor = {1, 1, 1, 1};
        material.metallic = material.roughness = 1;
        add(material.baseColorTexture, texture((std::string(name) + " color").c_str(), size, [&](double u, double v) {
                const double loss = paintLoss(u, v, seed);
                const Vec3d steel(0.42, 0.40, 0.38), rust(0.35, 0.18, 0.09);
                const Vec3d below = steel + smoothStep(-0.1, 0.4, round2(u, v, 14, 4, seed + 5)) * (rust - steel);
                return texelOf(color * (1 + 0.08 * round2(u, v, 20, 3, seed + 9)) + loss * (below - color));
            }));
        add(material.metallicRoughnessTexture,
            texture((std::string(name) + " surface").c_str(), size / 2, [&](double u, double v) {
                const double loss = paintLoss(u, v, seed);
                return texelOf({1, 0.38 + 0.35 * loss, 0.8 * loss});
            }));
    };
    paint(mesh.materials[LampMaterial::RedPaint], "red paint", {0.62, 0.13, 0.09}, 1024, 81);
    paint(mesh.materials[LampMaterial::WornPaint], "red paint, worn", {0.60, 0.14, 0.10}, 512, 91);
    Material& rubber = mesh.materials[LampMaterial::Rubber];
    rubber.name = "rubber";
    rubber.baseColor = {0.021f, 0.023f, 0.026f, 1};
    rubber.roughness = 0.9f;
    Material& glass = mesh.materials[LampMaterial::ClearGlass];
    glass.name = "glass";
    glass.baseColor = {1, 1, 1, 1};
    glass.alpha = Material::Alpha::Blend;
    glass.roughness = 0.06f;
    add(glass.baseColorTexture, texture("glass color", 256, [](double u, double v) {
            const double salt = smoothStep(0.1, 0.6, round2(u, v, 7, 4, 96));
            return texelOf({0.80 + 0.1 * salt, 0.87 + 0.05 * salt, 0.86 + 0.05 * salt}, 0.16 + 0.4 * salt);
        }));
    Material& filament = mesh.materials[LampMaterial::Filament];
    filament.name = "bulb";
    filament.baseColor = {0.9f, 0.87f, 0.8f, 1};
    filament.roughness = 0.2f;
    filament.emission = {1, 1, 1};
    add(filament.emissionTexture, texture("bulb glow", 128, [](double, double v) {
            const double glow = std::exp(-60 * (v - 0.62) * (v - 0.62));
            return texelOf(Vec3d(1.0, 0.78, 0.42) * glow);
        }));
}

}  // namespace

Mesh makeDiversLamp() {
    Mesh mesh;
    mesh.unitStated = true;
    mesh.parts = {{"Body"},  {"Rings"}, {"Cage, left"}, {"Cage, right"}, {"Grip"},
                  {"Glass"}, {"Bulb"},  {"Reflector"},  {"Screws"}};
    addMaterials(mesh);
    // The battery's housing with cooling ribs, and the cap above the glass.
    addTurned(mesh, LampPart::Body, LampMaterial::RedPaint,
              Lathe({{0, 0},
                     {0.040, 0},
                     {0.046, 0.004},
                     {0.046, 0.016},
                     {0.043, 0.019},
                     {0.043, 0.066},
                     {0.050, 0.074},
                     {0.060, 0.080},
                     {0.060, 0.088},
                     {0, 0.088}},
                    0.0012),
              200, 220, 1, [](const Vec3d& place, double angle) {
                  if (place.y() < 0.022 || place.y() > 0.062) return 0.0;
                  const double rib = std::abs(std::sin(12 * angle));
                  return 0.0022 * smoothStep(0.55, 0.75, rib) * smoothStep(0.022, 0.025, place.y()) *
                         (1 - smoothStep(0.059, 0.062, place.y()));
              });
    addTurned(mesh, LampPart::Body, LampMaterial::RedPaint,
              Lathe({{0, 0.252},
                     {0.060, 0.252},
                     {0.060, 0.258},
                     {0.050, 0.266},
                     {0.030, 0.274},
                     {0.012, 0.277},
                     {0.012, 0.283},
                     {0, 0.283}},
                    0.0012),
              200, 100, 1);
    for (const double height : {0.088, 0.241})
        addTurned(mesh, LampPart::Rings, LampMaterial::Brass,
                  Lathe({{0.0460, height},
                         {0.0635, height},
                         {0.0635, height + 0.011},
                         {0.0460, height + 0.011},
                         {0.0460, height}},
                        0.0014),
                  320, 60, 3, [](const Vec3d& place, double angle) {
                      // Knurled on the outside.
                      return place.norm() > 0 && std::hypot(place.x(), place.z()) > 0.0634
                                 ? 0.0005 * std::abs(std::sin(80 * angle))
                                 : 0.0;
                  });
    addCageHalf(mesh, LampPart::CageLeft, 1);
    addCageHalf(mesh, LampPart::CageRight, -1);
    addBar(mesh, LampPart::Grip, LampMaterial::Rubber, 0.0075, 60, 360, [](double t) {
        const double angle = pi * t;
        return Vec3d(0.047 * std::cos(angle), 0.261 + 0.041 * std::sin(angle), 0);
    });
    addTurned(
        mesh, LampPart::Glass, LampMaterial::ClearGlass,
        Lathe({{0.0470, 0.097}, {0.0500, 0.104}, {0.0520, 0.130}, {0.0520, 0.210}, {0.0500, 0.236}, {0.0470, 0.243}},
              0.006),
        180, 90, 1);
    addTurned(
        mesh, LampPart::Bulb, LampMaterial::Filament,
        Lathe({{0, 0.099}, {0.010, 0.099}, {0.010, 0.122}, {0.017, 0.140}, {0.019, 0.160}, {0.013, 0.180}, {0, 0.186}},
              0.004),
        120, 90, 1);
    addTurned(mesh, LampPart::Reflector, LampMaterial::Brass,
              Lathe({{0.012, 0.0995}, {0.030, 0.108}, {0.040, 0.128}, {0.041, 0.129}, {0.031, 0.107}, {0.013, 0.0985}},
                    0.0006),
              180, 40, 2);
    addScrews(mesh);
    makeNormals(mesh, 35);
    return mesh;
}

}  // namespace um::demo
