#include "app/viewport/Camera.h"

#include <algorithm>
#include <cmath>

namespace um::app {
namespace {

double halfTangent() {
    return std::tan(Camera::fieldOfViewDegrees * pi / 360);
}

}  // namespace

void Camera::frame(const Box3f& box, double aspect) {
    if (box.isEmpty()) return;
    m_target = box.center().cast<double>();
    m_radius = std::max(1e-12, 0.5 * box.sizes().cast<double>().norm());
    // The box, not its sphere: tall things should fill the height. What is nearer looks larger.
    const Eigen::Matrix3d turned = turn();
    constexpr double margin = 1.04;
    m_distance = 0;
    for (int corner = 0; corner < 8; ++corner) {
        const Vec3d place = turned * (box.corner(Box3f::CornerType(corner)).cast<double>() - m_target);
        const double reach = std::max(std::abs(place.y()), std::abs(place.x()) / std::max(0.1, aspect));
        m_distance = std::max(m_distance, margin * reach / halfTangent() + place.z());
    }
}

void Camera::orbit(double yaw, double pitch) {
    lookFrom(m_yaw + yaw, m_pitch + pitch);
}

void Camera::lookFrom(double yaw, double pitch) {
    m_yaw = std::remainder(yaw, 2 * pi);
    m_pitch = std::clamp(pitch, -1.55, 1.55);
}

void Camera::lookAt(const Vec3d& place, double across) {
    m_target = place;
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
    m_target += turn().transpose() * Vec3d(x * aspect * reach, y * reach, 0);
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
    return projectionOf(halfTangent(), aspect, near, far);
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
