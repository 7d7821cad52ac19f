#pragma once
/// An eye that orbits a place.
#include "base/Math.h"

#include <optional>
#include <span>

namespace um::app {

class Camera {
public:
    /// A part of the picture, -1 to 1 across and up.
    using Part = Eigen::AlignedBox2d;
    static Part whole() { return {Eigen::Vector2d(-1, -1), Eigen::Vector2d(1, 1)}; }

    /// Puts all places into view as large as they fit that part of the picture, and there as near to the picture's
    /// middle as they can be, keeping the direction.
    void frame(std::span<const Vec3f> places, double aspect, const Part& part);

    /// Comes closer or goes farther away, and moves what is in the middle, as another one did.
    void follow(const Camera& before, const Camera& after);

    void orbit(double yaw, double pitch);
    /// Moves along the picture by pixels of a view `height` pixels tall.
    void pan(double dx, double dy, double height);
    /// Comes closer by a factor below 1; what lies under (x, y), in -1 … 1 with y up, stays there.
    void zoom(double factor, double x, double y, double aspect);
    void lookFrom(double yaw, double pitch);
    /// Turns around this place from now on, so near that `across` fills a third of the picture's height; it is in the
    /// middle of that part.
    void lookAt(const Vec3d& place, double across, const Part& part);
    /// The direction from the eye through (x, y), in -1 … 1 with y up.
    Vec3d directionThrough(double x, double y, double aspect) const;
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
    /// A perspective by the tangent of half its height, and its depth range, of an eye that looks at the middle.
    static Mat4f projectionOf(double halfHeightTangent, double aspect, double near, double far);

    bool operator==(const Camera&) const = default;

    static constexpr double fieldOfViewDegrees = 32;

private:
    Vec3d m_target = Vec3d::Zero();
    Eigen::Vector2d m_middle = Eigen::Vector2d::Zero();  // where in the picture the target is, -1 to 1
    double m_yaw = 0.55;
    double m_pitch = 0.25;
    double m_distance = 3;
    double m_radius = 1;  // of what is looked at, for the depth range
};

}  // namespace um::app
