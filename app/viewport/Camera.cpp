#include "app/viewport/Camera.h"

#include <algorithm>
#include <cmath>
#include <vector>

namespace um::app {
namespace {

double halfTangent() {
    return std::tan(Camera::fieldOfViewDegrees * pi / 360);
}

}  // namespace

void Camera::frame(std::span<const Vec3f> places, double aspect, const Part& part) {
    Box3f box;
    for (const Vec3f& place : places) box.extend(place);
    if (box.isEmpty()) return;
    m_target = box.center().cast<double>();
    m_radius = std::max(1e-12, 0.5 * box.sizes().cast<double>().norm());
    const Eigen::Matrix3d turned = turn();
    std::vector<Vec3d> seen;
    for (const Vec3f& place : places) seen.push_back(turned * (place.cast<double>() - m_target));
    // What is nearer looks larger, so that the distance at which all of it just fits is searched for.
    const auto extents = [&](double distance) {
        Part all;
        for (const Vec3d& place : seen) {
            const double reach = halfTangent() * std::max(1e-6 * m_radius, distance - place.z());
            all.extend(Eigen::Vector2d(place.x() / (aspect * reach), place.y() / reach));
        }
        return all;
    };
    const auto fits = [&](double distance) {
        return (extents(distance).sizes().array() <= part.sizes().array()).all();
    };
    double near = m_radius, far = 4 * m_radius;
    while (!fits(far) && far < 1e4 * m_radius) far *= 2;
    for (int step = 0; step < 24; ++step) (fits((near + far) / 2) ? far : near) = (near + far) / 2;
    m_distance = far;
    const Part all = extents(m_distance);
    m_middle = (-all.center()).cwiseMax(part.min() - all.min()).cwiseMin(part.max() - all.max());
}

void Camera::follow(const Camera& before, const Camera& after) {
    m_distance *= after.m_distance / before.m_distance;
    m_middle += after.m_middle - before.m_middle;
}

void Camera::orbit(double yaw, double pitch) {
    lookFrom(m_yaw + yaw, m_pitch + pitch);
}

void Camera::lookFrom(double yaw, double pitch) {
    m_yaw = std::remainder(yaw, 2 * pi);
    m_pitch = std::clamp(pitch, -1.55, 1.55);
}

void Camera::lookAt(const Vec3d& place, double across, const Part& part) {
    m_target = place;
    m_middle = part.center();
    m_distance = 3 * across / (2 * halfTangent());
}

std::optional<Eigen::Vector2d> Camera::pixelOf(const Vec3d& place, double width, double height) const {
    const Eigen::Vector4d clip =
        projection(width / height).cast<double>() * view().cast<double>() * place.homogeneous();
    if (!(clip.w() > 0)) return std::nullopt;
    return Eigen::Vector2d(width / 2 * (1 + clip.x() / clip.w()), height / 2 * (1 - clip.y() / clip.w()));
}

void Camera::pan(double dx, double dy, double height) {
    const double perPixel = 2 * m_distance * halfTangent() / height;
    m_target += turn().transpose() * Vec3d(-dx * perPixel, dy * perPixel, 0);
}

void Camera::zoom(double factor, double x, double y, double aspect) {
    const double wanted = std::clamp(m_distance * factor, m_radius * 1e-4, m_radius * 200);
    const double reach = halfTangent() * (m_distance - wanted);
    m_target += turn().transpose() * Vec3d((x - m_middle.x()) * aspect * reach, (y - m_middle.y()) * reach, 0);
    m_distance = wanted;
}

Eigen::Matrix3d Camera::turn() const {
    return (Eigen::AngleAxisd(m_pitch, Vec3d::UnitX()) * Eigen::AngleAxisd(-m_yaw, Vec3d::UnitY())).toRotationMatrix();
}

Vec3d Camera::eye() const {
    return m_target + turn().transpose() * Vec3d(0, 0, m_distance);
}

Mat4f Camera::view() const {
    Mat4f matrix = Mat4f::Identity();
    matrix.topLeftCorner<3, 3>() = turn().cast<float>();
    matrix.topRightCorner<3, 1>() = (-(turn() * eye())).cast<float>();
    return matrix;
}

Mat4f Camera::projection(double aspect) const {
    const double reach = m_radius * 1.6;
    const double far = m_distance + 4 * reach;
    const double near = std::max(m_distance - 4 * reach, m_distance * 2e-3);
    Mat4f matrix = projectionOf(halfTangent(), aspect, near, far);
    matrix(0, 2) = -float(m_middle.x());
    matrix(1, 2) = -float(m_middle.y());
    return matrix;
}

Vec3d Camera::directionThrough(double x, double y, double aspect) const {
    const Eigen::Vector2d across = halfTangent() * (Eigen::Vector2d(x, y) - m_middle);
    return turn().transpose() * Vec3d(across.x() * aspect, across.y(), -1);
}

Mat4f Camera::projectionOf(double halfHeightTangent, double aspect, double near, double far) {
    Mat4f matrix = Mat4f::Zero();
    matrix(0, 0) = float(1 / (halfHeightTangent * aspect));
    matrix(1, 1) = float(1 / halfHeightTangent);
    matrix(2, 2) = float((far + near) / (near - far));
    matrix(2, 3) = float(2 * far * near / (near - far));
    matrix(3, 2) = -1;
    return matrix;
}

}  // namespace um::app
