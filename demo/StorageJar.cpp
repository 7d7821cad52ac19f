#include "demo/StorageJar.h"

#include "base/Parallel.h"
#include "demo/Grid.h"
#include "demo/Noise.h"
#include "draw/Picture.h"

#include <cmath>

namespace um::demo {
namespace {

struct JarPart {
    enum Number : std::uint32_t { Body, Handles, Barnacles, RopeCollar, Stopper };
};

using Point2 = Eigen::Vector2d;  // radius, height

// A smooth curve through points (centripetal Catmull-Rom), t from 0 to 1 by chord length.
class Profile {
public:
    explicit Profile(std::vector<Point2> points) : m_points(std::move(points)) {
        m_knots.push_back(0);
        for (std::size_t i = 1; i < m_points.size(); ++i)
            m_knots.push_back(m_knots.back() + (m_points[i] - m_points[i - 1]).norm());
        for (double& knot : m_knots) knot /= m_knots.back();
    }

    Point2 at(double t) const {
        std::size_t i = 0;
        while (i + 2 < m_points.size() && m_knots[i + 1] < t) ++i;
        const Point2& p1 = m_points[i];
        const Point2& p2 = m_points[i + 1];
        const double h = m_knots[i + 1] - m_knots[i];
        const auto slopeAt = [&](std::size_t k) -> Point2 {
            if (k == 0) return (m_points[1] - m_points[0]) / (m_knots[1] - m_knots[0]);
            if (k + 1 == m_points.size()) return (m_points[k] - m_points[k - 1]) / (m_knots[k] - m_knots[k - 1]);
            const Point2 before = (m_points[k] - m_points[k - 1]) / (m_knots[k] - m_knots[k - 1]);
            const Point2 after = (m_points[k + 1] - m_points[k]) / (m_knots[k + 1] - m_knots[k]);
            const double hb = m_knots[k] - m_knots[k - 1], ha = m_knots[k + 1] - m_knots[k];
            return (before * ha + after * hb) / (ha + hb);
        };
        const double x = (t - m_knots[i]) / h;
        const double x2 = x * x, x3 = x2 * x;
        return (2 * x3 - 3 * x2 + 1) * p1 + (x3 - 2 * x2 + x) * h * slopeAt(i) + (3 * x2 - 2 * x3) * p2 +
               (x3 - x2) * h * slopeAt(i + 1);
    }

    double knot(std::size_t i) const { return m_knots[i]; }

private:
    std::vector<Point2> m_points;
    std::vector<double> m_knots;
};

// From the middle of the foot up the outside, over the rim and down the inside.
const Profile& bodyProfile() {
    static const Profile profile({{0.0005, 0.004}, {0.020, 0.001}, {0.029, 0.002}, {0.033, 0.010}, {0.034, 0.022},
                                  {0.047, 0.062},  {0.078, 0.130}, {0.113, 0.215}, {0.137, 0.300}, {0.146, 0.365},
                                  {0.139, 0.425},  {0.110, 0.475}, {0.071, 0.502}, {0.051, 0.522}, {0.045, 0.548},
                                  {0.044, 0.578},  {0.048, 0.592}, {0.060, 0.600}, {0.064, 0.607}, {0.062, 0.614},
                                  {0.055, 0.617},  {0.044, 0.612}, {0.036, 0.596}, {0.034, 0.560}, {0.040, 0.520},
                                  {0.060, 0.492},  {0.100, 0.463}, {0.130, 0.415}, {0.136, 0.360}, {0.126, 0.295},
                                  {0.102, 0.210},  {0.066, 0.120}, {0.030, 0.060}, {0.0005, 0.045}});
    return profile;
}
constexpr std::size_t rimKnot = 20;

struct Chip {
    double angle, height, size, depth;
};

// Knocks at the rim and the foot, and two on the belly.
std::vector<Chip> chips() {
    std::vector<Chip> all;
    for (std::uint32_t i = 0; i < 6; ++i)
        all.push_back({2 * pi * random(1, i), 0.611 + 0.006 * random(2, i), 0.009 + 0.012 * random(3, i),
                       0.004 + 0.005 * random(4, i)});
    for (std::uint32_t i = 0; i < 3; ++i) all.push_back({2 * pi * random(5, i), 0.006, 0.012, 0.005});
    all.push_back({0.9, 0.33, 0.032, 0.0045});
    all.push_back({3.9, 0.22, 0.024, 0.0040});
    return all;
}

double groove(double height, double at, double width, double depth) {
    const double x = (height - at) / width;
    return -depth * std::exp(-x * x * x * x);
}

// How far the outside of the body stands out from its profile.
double relief(const Vec3d& p, double angle, double height) {
    double h = 0;
    for (const double band : {0.398, 0.410, 0.422}) h += groove(height, band, 0.0022, 0.0020);
    for (const double band : {0.285, 0.292}) h += groove(height, band, 0.0016, 0.0014);
    // Between the bands a line of slanted strokes.
    const double inField = smoothStep(0.375, 0.379, height) * (1 - smoothStep(0.389, 0.393, height));
    const double stroke = std::sin(52 * angle + height * 620);
    h -= 0.0016 * inField * smoothStep(0.35, 0.8, stroke);
    h += 0.00035 * std::sin(height * 1450 + 0.6 * std::sin(angle)) * smoothStep(0.02, 0.06, height);  // turning marks
    h += 0.0012 * fractalNoise(p * 14, 3, 3) + 0.00035 * fractalNoise(p * 120, 2, 9);
    h -= 0.0013 * smoothStep(0.42, 0.62, noise(p * 85, 15));  // pitting
    return h;
}

Vec3d bodyPoint(double u, double v) {
    const Point2 profile = bodyProfile().at(v);
    const double angle = 2 * pi * u;
    const Vec3d out(std::cos(angle), 0, -std::sin(angle));
    const Vec3d plain = out * profile.x() + Vec3d(0, profile.y(), 0);
    const double outside = 1 - smoothStep(bodyProfile().knot(rimKnot) - 0.01, bodyProfile().knot(rimKnot) + 0.01, v);
    const double offAxis = smoothStep(0.0, 0.02, profile.x());
    double h = outside * relief(plain, angle, profile.y()) + (1 - outside) * 0.0008 * noise(plain * 30, 19);
    double sag = 0;
    static const std::vector<Chip> all = chips();
    for (const Chip& chip : all) {
        const Vec3d centre(std::cos(chip.angle) * profile.x(), chip.height, -std::sin(chip.angle) * profile.x());
        const double away = (plain - centre).norm() * (1 + 0.35 * noise(plain * 130, 77));
        const double bite = smoothStep(chip.size, chip.size * 0.72, away);
        if (chip.height > 0.6)
            sag += bite * chip.depth;  // the rim breaks downwards
        else
            h -= outside * bite * (chip.depth + 0.0006 * noise(plain * 210, 78));
    }
    // Not quite round, as things thrown by hand are.
    const double oval = 1 + 0.008 * std::cos(2 * angle + 0.7);
    return out * (profile.x() * oval + offAxis * h) + Vec3d(0, profile.y() - sag, 0);
}

Vec3d bezier(const std::array<Vec3d, 4>& p, double t) {
    const double s = 1 - t;
    return s * s * s * p[0] + 3 * s * s * t * p[1] + 3 * s * t * t * p[2] + t * t * t * p[3];
}

void addHandle(Mesh& mesh, double angle) {
    const Vec3d out(std::cos(angle), 0, -std::sin(angle));
    const Vec3d side(-out.z(), 0, out.x());
    const Vec3d up(0, 1, 0);
    const std::array<Vec3d, 4> path = {out * 0.040 + up * 0.560, out * 0.150 + up * 0.600, out * 0.168 + up * 0.540,
                                       out * 0.112 + up * 0.452};
    Grid grid;
    grid.columns = 92;
    grid.rows = 402;
    grid.closedAlongU = grid.poleAtStart = grid.poleAtEnd = true;
    addGrid(
        mesh, JarPart::Handles, JarPart::Handles, grid,
        [&](double u, double v) {
            const double t = v;
            const Vec3d centre = bezier(path, t);
            const Vec3d along =
                (bezier(path, std::min(1.0, t + 1e-3)) - bezier(path, std::max(0.0, t - 1e-3))).normalized();
            const Vec3d outward = side.cross(along);
            const double around = -2 * pi * u;
            double wide = 0.0135 + 0.005 * std::pow(std::abs(2 * t - 1), 3);
            double thick = 0.0085 + 0.003 * std::pow(std::abs(2 * t - 1), 3);
            const double end = std::min(t, 1 - t);
            const double cap = std::sqrt(std::clamp(end / 0.012, 0.0, 1.0));
            // Two grooves run along the back.
            const double back = std::max(0.0, -std::sin(around));
            const double dent = 0.0016 * back * std::exp(-std::pow(std::cos(around) / 0.22, 2) * 4);
            const Vec3d flat = side * std::cos(around) * wide + outward * std::sin(around) * thick;
            const Vec3d on = centre + flat;
            const double rough = 0.0007 * fractalNoise(on * 40, 3, 5) + 0.0002 * noise(on * 300, 6);
            return Vec3d(centre + cap * (flat * (1 + (rough - dent) / thick)));
        },
        true);
}

void addBarnacle(Mesh& mesh, std::uint32_t number, const Vec3d& foot, const Vec3d& normal) {
    const double size = 0.0035 + 0.0062 * std::pow(random(20, number), 2.0);
    const double height = size * (0.55 + 0.5 * random(21, number));
    const double lean = 0.25 * (random(22, number) - 0.5);
    const double phase = 2 * pi * random(23, number);
    const Vec3d x = normal.unitOrthogonal();
    const Vec3d y = normal.cross(x);
    static const Profile cone({{1.06, -0.16},
                               {0.98, 0.04},
                               {0.80, 0.35},
                               {0.62, 0.70},
                               {0.50, 0.96},
                               {0.45, 1.0},
                               {0.38, 0.94},
                               {0.30, 0.62},
                               {0.20, 0.34},
                               {0.02, 0.26}});
    Grid grid;
    grid.columns = 32;
    grid.rows = 29;
    grid.closedAlongU = grid.poleAtEnd = true;
    addGrid(
        mesh, JarPart::Barnacles, JarPart::Barnacles, grid,
        [&](double u, double v) {
            const Point2 p = cone.at(v);
            const double around = 2 * pi * u;
            const double ribs = 1 + 0.10 * std::abs(std::sin(3 * around + phase)) * (1 - v) +
                                0.05 * noise(Vec3d(std::cos(around) * 3, std::sin(around) * 3, 4 * v) + foot * 900, 31);
            const double r = size * p.x() * ribs;
            const double jag =
                1 + 0.08 * std::sin(6 * around + phase) * smoothStep(0.35, 0.5, v) * (1 - smoothStep(0.6, 0.8, v));
            return Vec3d(foot + x * (r * std::cos(around) + lean * height * p.y()) + y * r * std::sin(around) +
                         normal * height * p.y() * jag);
        },
        true);
}

// Barnacles settle in clusters on the outside of the body, mostly on one flank.
void addBarnacles(Mesh& mesh) {
    constexpr std::uint32_t wanted = 126;
    std::vector<Vec3d> feet;
    std::uint32_t made = 0;
    for (std::uint32_t attempt = 0; made < wanted && attempt < 20000; ++attempt) {
        const auto cluster = std::uint32_t(9 * std::pow(random(30, attempt), 1.6));
        const double u0 = 0.08 + 0.62 * random(31, cluster) * random(34, cluster);
        const double v0 = 0.14 + 0.27 * random(32, cluster);
        const double spread = 0.02 + 0.035 * random(33, cluster);
        const double bearing = 2 * pi * random(35, attempt);
        const double reach = spread * std::sqrt(random(36, attempt));
        const double u = u0 + reach * std::cos(bearing);
        const double v = std::clamp(v0 + reach * 0.8 * std::sin(bearing), 0.09, 0.44);
        const Vec3d foot = bodyPoint(u, v);
        bool crowded = false;
        for (const Vec3d& other : feet) crowded = crowded || (other - foot).norm() < 0.0085;
        if (crowded) continue;
        constexpr double step = 0.004;
        const Vec3d along = bodyPoint(u + step, v) - bodyPoint(u - step, v);
        const Vec3d up = bodyPoint(u, v + step) - bodyPoint(u, v - step);
        feet.push_back(foot);
        addBarnacle(mesh, made++, foot, along.cross(up).normalized());
    }
}

void addRope(Mesh& mesh) {
    for (int turn = 0; turn < 2; ++turn)
        for (int strand = 0; strand < 3; ++strand) {
            Grid grid;
            grid.columns = 14;
            grid.rows = 226;
            grid.closedAlongU = grid.closedAlongV = true;
            const double height = 0.5335 + 0.0112 * turn;
            const double ring = turn == 0 ? 0.0545 : 0.0515;
            addGrid(
                mesh, JarPart::RopeCollar, JarPart::RopeCollar, grid,
                [&](double u, double v) {
                    const double angle = 2 * pi * v;
                    const Vec3d out(std::cos(angle), 0, -std::sin(angle));
                    const Vec3d up(0, 1, 0);
                    const double twist = 2 * pi * (21 * v + strand / 3.0);
                    const Vec3d along(-std::sin(angle), 0, -std::cos(angle));
                    const Vec3d centre =
                        out * (ring + 0.0032 * std::cos(twist)) + up * (height + 0.0032 * std::sin(twist));
                    const Vec3d outward = out * std::cos(twist) + up * std::sin(twist);
                    const Vec3d across = along.cross(outward);
                    const double around = 2 * pi * u;
                    const double fibre = 1 + 0.07 * std::sin(5 * around + 90 * angle) + 0.05 * noise(centre * 350, 44);
                    return Vec3d(centre + 0.0031 * fibre * (outward * std::cos(around) + across * std::sin(around)));
                },
                true);
        }
}

void addStopper(Mesh& mesh) {
    static const Profile plug({{0.0003, 0.545},
                               {0.020, 0.546},
                               {0.030, 0.550},
                               {0.033, 0.570},
                               {0.035, 0.600},
                               {0.041, 0.6175},
                               {0.047, 0.6205},
                               {0.049, 0.627},
                               {0.044, 0.634},
                               {0.028, 0.638},
                               {0.016, 0.640},
                               {0.013, 0.650},
                               {0.011, 0.657},
                               {0.0003, 0.660}});
    Grid grid;
    grid.columns = 84;
    grid.rows = 80;
    grid.closedAlongU = grid.poleAtStart = grid.poleAtEnd = true;
    addGrid(
        mesh, JarPart::Stopper, JarPart::Stopper, grid,
        [](double u, double v) {
            const Point2 p = plug.at(v);
            const double angle = 2 * pi * u;
            const Vec3d on(std::cos(angle) * p.x(), p.y(), -std::sin(angle) * p.x());
            const double h = 0.0009 * fractalNoise(on * 70, 3, 66) * smoothStep(0.0, 0.01, p.x());
            return Vec3d(on + Vec3d(std::cos(angle), 0.3, -std::sin(angle)) * h);
        },
        true);
}

Material plain(const char* name, float red, float green, float blue, float roughness) {
    Material material;
    material.name = name;
    material.baseColor = {red, green, blue, 1};
    material.roughness = roughness;
    return material;
}

// Slip-painted bands on fired clay, darker in the grooves' neighbourhood, with salt that has run down. One texel is
// about 0.8 mm of the body.
Texture bodyTexture() {
    constexpr int width = 1024, height = 1024;
    Picture picture(width, height, {});
    parallelFor(
        std::size_t(height),
        [&](std::size_t row) {
            const double v = 1 - (double(row) + 0.5) / height;
            for (int x = 0; x < width; ++x) {
                const double angle = 2 * pi * (x + 0.5) / width;
                const Vec3d on(std::cos(angle), 3 * v, std::sin(angle));
                const double grain = fractalNoise(on * 9, 4, 501);
                const double band = smoothStep(0.62, 0.66, v) * (1 - smoothStep(0.70, 0.74, v)) +
                                    smoothStep(0.40, 0.41, v) * (1 - smoothStep(0.44, 0.45, v));
                const double wave = smoothStep(-0.02, 0.02, 0.018 * std::sin(14 * angle) - std::abs(v - 0.53) + 0.008);
                const double paint = std::clamp(0.85 * std::max(band, wave) + 0.25 * grain, 0.0, 1.0) *
                                     (std::max(band, wave) > 0.01 ? 1 : 0);
                const double salt =
                    smoothStep(0.15, 0.6, fractalNoise(Vec3d(6 * on.x(), 1.2 * on.y(), 6 * on.z()), 4, 502));
                const Vec3d clay(178 + 26 * grain, 118 + 18 * grain, 82 + 14 * grain);
                const Vec3d slip(72, 44, 38), white(206, 198, 184);
                Vec3d color = clay + paint * (slip - clay);
                color += 0.45 * salt * (white - color);
                for (std::size_t i = 0; i < 3; ++i)
                    picture.at(x, int(row))[i] = std::uint8_t(std::clamp(color[Eigen::Index(i)], 0.0, 255.0));
            }
        },
        16);
    return {"body, painted", "image/png", std::make_shared<const std::string>(pngOf(picture)), width, height};
}

}  // namespace

Mesh makeStorageJar() {
    Mesh mesh;
    mesh.unitStated = true;
    mesh.parts = {{"Body"}, {"Handles"}, {"Barnacles"}, {"Rope collar"}, {"Stopper"}};
    mesh.materials = {plain("terracotta", 0.46f, 0.25f, 0.15f, 0.85f), plain("fired clay", 0.40f, 0.21f, 0.13f, 0.8f),
                      plain("shell", 0.66f, 0.63f, 0.56f, 0.7f), plain("hemp", 0.33f, 0.25f, 0.14f, 0.95f),
                      plain("pitch", 0.07f, 0.055f, 0.045f, 0.45f)};
    mesh.textures = {bodyTexture()};
    mesh.materials[JarPart::Body].baseColor = {1, 1, 1, 1};
    mesh.materials[JarPart::Body].baseColorTexture.texture = 0;
    Grid body;
    body.columns = 680;
    body.rows = 451;
    body.closedAlongU = body.poleAtStart = body.poleAtEnd = true;
    addGrid(mesh, JarPart::Body, JarPart::Body, body, bodyPoint, true);
    addHandle(mesh, 0);
    addHandle(mesh, pi);
    addBarnacles(mesh);
    addRope(mesh);
    addStopper(mesh);
    return mesh;
}

}  // namespace um::demo
