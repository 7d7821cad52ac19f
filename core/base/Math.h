#pragma once
/// Vector and box types, and formulas on them.
#include <Eigen/Core>
#include <Eigen/Geometry>

#include <cstdint>

namespace um {

using Vec2f = Eigen::Vector2f;
using Vec3f = Eigen::Vector3f;
using Vec3d = Eigen::Vector3d;
using Vec2d = Eigen::Vector2d;
using Vec4f = Eigen::Vector4f;
using Mat3d = Eigen::Matrix3d;
using Mat4f = Eigen::Matrix4f;
using Mat4d = Eigen::Matrix4d;
using Box3f = Eigen::AlignedBox3f;

constexpr double pi = 3.14159265358979323846;

/// Twice the area of the triangle a b c, along its normal (counter-clockwise seen from outside).
inline Vec3d areaNormal(const Vec3d& a, const Vec3d& b, const Vec3d& c) {
    return (b - a).cross(c - a);
}

/// A well mixed 64-bit value of x (the finaliser of MurmurHash3), for tie-breaking and repeatable pseudo-randomness.
inline std::uint64_t mixBits(std::uint64_t x) {
    x ^= x >> 33;
    x *= 0xff51afd7ed558ccdULL;
    x ^= x >> 33;
    x *= 0xc4ceb9fe1a85ec53ULL;
    x ^= x >> 33;
    return x;
}

}  // namespace um
