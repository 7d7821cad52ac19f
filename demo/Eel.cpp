#include "demo/Eel.h"

#include "demo/Grid.h"
#include "demo/Noise.h"
#include "mesh/Normals.h"

#include <cmath>

namespace um::demo {

namespace {

struct EelPart {
    enum Number : std::uint32_t { Body, InnerMouth, Teeth, Eyes };
};

constexpr double length = 1.6;
constexpr std::size_t spineJoints = 12;
constexpr std::uint16_t jaw = spineJoints;

// Along the body, 0 at the tip of the tail, 1 at the snout.
constexpr double mouthCorner = 0.945;

// The middle line: two bends, as at rest between stones.
Vec3d spine(double s) {
    return {length * (s - 0.5), 0.10 + 0.03 * std::sin(2 * pi * 0.8 * s),
            0.16 * std::sin(2 * pi * (1.1 * s + 0.1)) * (1.15 - s)};
}

struct Frame {
    Vec3d origin, right, up, ahead;
};

Frame frameAt(double s) {
    Frame frame;
    frame.origin = spine(s);
    frame.ahead = (spine(s + 1e-3) - spine(s - 1e-3)).normalized();
    frame.right = Vec3d::UnitY().cross(frame.ahead).normalized();
    frame.up = frame.ahead.cross(frame.right);
    return frame;
}

// Half the width and the height of the body.
Eigen::Vector2d radii(double s) {
    const double thick = 0.062 * std::pow(std::sin(pi * std::min(1.0, 0.08 + 0.62 * s)), 0.8);
    const double head = 1 + 0.18 * smoothStep(0.84, 0.9, s) - 0.80 * smoothStep(0.90, 1.01, s);
    const double flat = 1 - 0.72 * smoothStep(0.35, 0.0, s);  // the tail is a blade
    return {thick * head * flat, thick * head * (1 + 0.2 * smoothStep(0.3, 0.0, s))};
}

// How far below the lips' line the lower jaw hangs, at rest.
double gape(double s) {
    return 0.014 * smoothStep(mouthCorner, 1.0, s);
}

// Where along (s) and around (angle, 0 at the right, counter-clockwise seen from the front) the skin lies.
Vec3d skin(double s, double angle) {
    const Frame frame = frameAt(s);
    const Eigen::Vector2d r = radii(s);
    const double c = std::cos(angle), h = std::sin(angle);
    // A fin runs along the back from behind the head to the tail, and below from the middle on.
    const double tip = smoothStep(-0.02, 0.16, s);
    const double finAbove = 0.050 * tip * smoothStep(0.80, 0.70, s) * std::pow(std::max(0.0, h), 40);
    const double finBelow = 0.040 * tip * smoothStep(0.50, 0.40, s) * std::pow(std::max(0.0, -h), 40);
    const double rays = 1 + 0.05 * std::sin(s * 420);
    const Vec3d at(c, h, s * 14);
    const double wrinkles = 0.0012 * noise(Vec3d(at.x() * 5, at.y() * 5, at.z() * 9), 71) +
                            0.0006 * fractalNoise(at * 24, 3, 72) * smoothStep(0.0, 0.1, s);
    const double throat = -0.004 * smoothStep(0.80, 0.84, s) * smoothStep(0.90, 0.86, s) * std::max(0.0, -h) *
                          (0.5 + 0.5 * std::sin(s * 600));
    Vec3d p = frame.origin + frame.right * (r.x() + wrinkles) * c +
              frame.up * ((r.y() + wrinkles + throat) * h + (finAbove - finBelow) * rays);
    if (h < 0) p -= frame.up * gape(s);
    return p;
}

// The lips' line around the snout: from the right corner of the mouth to the left one, above or below.
Vec3d lip(double u, bool above) {
    const double s = mouthCorner + (1 - mouthCorner) * std::sin(pi * u);
    return skin(s, above ? pi * u : -pi * u);
}

// Body and inner mouth are one skin with a slit, so that the mouth can open: the body's rows end at the snout, where
// they turn inwards.
Vec3d body(double u, double v) {
    const double s = std::min(1.0, v * 1.0);
    return skin(s, 2 * pi * u);
}

// A pocket behind the snout, from its opening inwards.
Vec3d pocket(double u, double v) {
    const double s = 1.0 - 0.13 * v;
    const Frame frame = frameAt(s);
    const Eigen::Vector2d r = radii(s);
    const double room = 0.96 * (1 - smoothStep(0.7, 1.0, v)) * (v < 0.02 ? 1 : 0.8);
    const double angle = -2 * pi * u;
    const double ridges = 1 + 0.05 * std::sin(v * 60) * smoothStep(0, 0.2, v);
    const double c = std::cos(angle), h = std::sin(angle);
    Vec3d p = frame.origin + (frame.right * r.x() * c + frame.up * r.y() * h) * room * ridges;
    if (h < 0) p -= frame.up * gape(s) * room;
    return p;
}

void addTooth(Mesh& mesh, const Vec3d& root, const Vec3d& tip, double width) {
    const Vec3d axis = tip - root;
    const Vec3d side = axis.unitOrthogonal(), other = axis.normalized().cross(side);
    Grid grid{12, 10, true, false, false, true};
    addGrid(
        mesh, EelPart::Teeth, EelPart::Teeth, grid,
        [&](double u, double v) -> Vec3d {
            const double w = width * std::sqrt(1 - v);
            return root + axis * v + 0.25 * axis.norm() * v * v * side +
                   w * (std::cos(2 * pi * u) * side + std::sin(2 * pi * u) * other);
        },
        true);
}

void addEye(Mesh& mesh, double side) {
    const double s = 0.935;
    const Frame frame = frameAt(s);
    const Eigen::Vector2d r = radii(s);
    const Vec3d middle = frame.origin + frame.right * side * 0.86 * r.x() + frame.up * 0.42 * r.y();
    Grid grid{64, 40, true, false, true, true};
    addGrid(
        mesh, EelPart::Eyes, EelPart::Eyes, grid,
        [&](double u, double v) -> Vec3d {
            const double a = 2 * pi * u, b = pi * v;
            const Vec3d direction(std::sin(b) * std::cos(a), -std::cos(b), -std::sin(b) * std::sin(a));
            // The cornea stands out a little.
            const double bulge = 1 + 0.12 * smoothStep(0.75, 0.9, direction.dot(frame.right) * side);
            return middle + 0.0115 * bulge * direction;
        },
        true);
}

Influences followed(std::vector<std::pair<std::uint16_t, double>> joints) {
    std::sort(joints.begin(), joints.end(), [](const auto& a, const auto& b) { return a.second > b.second; });
    joints.resize(std::min<std::size_t>(4, joints.size()));
    double sum = 0;
    for (const auto& joint : joints) sum += joint.second;
    Influences influences;
    for (std::size_t i = 0; i < joints.size(); ++i) {
        influences.joints[i] = joints[i].first;
        influences.weights[i] = float(joints[i].second / sum);
    }
    return influences;
}

// Smooth hats of the joints along the spine; the lower jaw by how far below the lips it lies.
Influences influencesAt(double s, double below) {
    std::vector<std::pair<std::uint16_t, double>> joints;
    for (std::size_t j = 0; j < spineJoints; ++j) {
        const double hat = 1 - std::abs(s * (spineJoints - 1) - double(j)) / 1.5;
        if (hat > 0) joints.push_back({std::uint16_t(j), hat * hat});
    }
    if (below > 0) {
        for (auto& joint : joints) joint.second *= 1 - below;
        joints.push_back({jaw, below});
    }
    return followed(joints);
}

std::array<float, 16> columns(const Eigen::Matrix4d& matrix) {
    std::array<float, 16> result;
    Eigen::Map<Mat4f>(result.data()) = matrix.cast<float>();
    return result;
}

Mat4d movedTo(const Vec3d& place) {
    Mat4d matrix = Mat4d::Identity();
    matrix.topRightCorner<3, 1>() = place;
    return matrix;
}

void addSkeleton(Mesh& mesh) {
    std::vector<Vec3d> places;
    for (std::size_t j = 0; j < spineJoints; ++j) places.push_back(spine(double(j) / (spineJoints - 1)));
    places.push_back(spine(mouthCorner - 0.02));
    // The root is in the middle of the body, as animators like it; the chain runs from there both ways.
    constexpr int root = spineJoints / 2;
    for (int j = 0; j < int(places.size()); ++j) {
        Joint joint;
        joint.name = j == jaw ? "jaw" : "spine " + std::to_string(j + 1);
        joint.parent = j == jaw ? int(spineJoints) - 1 : j == root ? -1 : j < root ? j + 1 : j - 1;
        const Vec3d above = joint.parent >= 0 ? places[std::size_t(joint.parent)] : Vec3d(Vec3d::Zero());
        joint.local = columns(movedTo(places[std::size_t(j)] - above));
        joint.inverseBind = columns(movedTo(-places[std::size_t(j)]));
        mesh.skeleton.push_back(joint);
    }
}

// Where along the body a place lies, and how much of it belongs to the lower jaw.
void addSkin(Mesh& mesh) {
    Morph open{"mouth open", {}};
    for (const Vec3f& position : mesh.positions) {
        const Vec3d p = position.cast<double>();
        double s = std::clamp(p.x() / length + 0.5, 0.0, 1.0);
        for (int step = 0; step < 3; ++step)
            s = std::clamp(s + (p - spine(s)).dot(frameAt(s).ahead) / length, 0.0, 1.0);
        const Frame frame = frameAt(s);
        const double below = smoothStep(0.006, -0.010, (p - frame.origin).dot(frame.up)) *
                             smoothStep(mouthCorner - 0.06, mouthCorner, s);
        mesh.influences.push_back(influencesAt(s, below));
        const double drop = below * 0.05 * smoothStep(mouthCorner - 0.06, 1.0, s);
        open.offsets.push_back((-drop * frame.up).cast<float>());
    }
    mesh.morphs.push_back(std::move(open));
}

Material material(const char* name, std::array<float, 4> color, float roughness) {
    Material result;
    result.name = name;
    result.baseColor = color;
    result.roughness = roughness;
    return result;
}

}  // namespace

Mesh makeEel() {
    Mesh mesh;
    mesh.parts = {{"Body"}, {"Inner mouth"}, {"Teeth"}, {"Eyes"}};
    mesh.materials = {
        material("eel skin", {0.30f, 0.29f, 0.22f, 1}, 0.45f), material("inner mouth", {0.62f, 0.30f, 0.28f, 1}, 0.35f),
        material("teeth", {0.86f, 0.82f, 0.70f, 1}, 0.4f), material("eye", {0.10f, 0.09f, 0.06f, 1}, 0.15f)};
    mesh.metresPerUnit = 1;
    mesh.unitStated = true;
    addGrid(mesh, EelPart::Body, EelPart::Body, {200, 560, true, false, true, false}, body, true);
    addGrid(mesh, EelPart::InnerMouth, EelPart::InnerMouth, {120, 80, true, false, false, true}, pocket, true);
    for (int i = 1; i < 16; ++i)
        for (const bool above : {true, false}) {
            const double u = i / 16.0;
            const Vec3d root = 0.94 * lip(u, above) + 0.06 * spine(0.97);
            const double size = 0.007 + 0.004 * random(81, std::uint32_t(2 * i + (above ? 1 : 0)));
            addTooth(mesh, root, root + Vec3d(0, above ? -size : size, 0), 0.0016);
        }
    for (const double side : {1.0, -1.0}) addEye(mesh, side);
    addSkin(mesh);
    addSkeleton(mesh);
    makeNormals(mesh, 60);
    mesh.wantsTangents = true;
    return mesh;
}

}  // namespace um::demo
