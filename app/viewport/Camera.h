#pragma once
/// An eye that orbits a place.
#include "base/Math.h"

#include <optional>

namespace um::app {

class Camera {
public:
    /// Puts everything within the box into view, keeping the direction.
    void frame(const Box3f& box, double aspect);

    void orbit(double yaw, double pitch);
    /// Moves along the picture by pixels of a view `height` pixels tall.
    void pan(double dx, double dy, double height);
    /// Comes closer by a factor below 1; what lies under (x, y), in -1 … 1 with y up, stays there.
    void zoom(double factor, double x, double y, double aspect);
    void lookFrom(double yaw, double pitch);
    /// Turns around this place from now on, so near that `across` fills a third of the picture's height.
    void lookAt(const Vec3d& place, double across);
    /// Where a place lies in a picture of that size, in its pixels; nothing behind the eye.
    std::optional<Eigen::Vector2d> pixelOf(const Vec3d& place, double width, double height) const;

    double yaw() const { return m_yaw; }
    double pitch() const { return m_pitch; }
    double distance() const { return m_distance; }
    const Vec3d& target() const { return m_target; }

    Eigen::Matrix3d turn() const;  ///< from the world to the eye's axes: x right, y up, z towards the eye
    Vec3d eye() const;
    Mat4f view() const;
    Mat4f projection(double aspect) const;
    /// A perspective by the tangent of half its height, and its depth range.
    static Mat4f projectionOf(double halfHeightTangent, double aspect, double near, double far);

    bool operator==(const Camera&) const = default;

    static constexpr double fieldOfViewDegrees = 32;

private:
    Vec3d m_target = Vec3d::Zero();
    double m_yaw = 0.55;
    double m_pitch = 0.25;
    double m_distance = 3;
    double m_radius = 1;  // of what is looked at, for the depth range
};

}  // namespace um::app
