#include "mesh/Polygon.h"

#include <numeric>

namespace um {
namespace {

// The polygon's corners in the plane that fits it (Newell's normal).
std::vector<Eigen::Vector2d> flattened(std::span<const Vec3f> corners) {
    Vec3d normal = Vec3d::Zero();
    for (std::size_t i = 0; i < corners.size(); ++i) {
        const Vec3d a = (corners[i] - corners[0]).cast<double>();
        const Vec3d b = (corners[(i + 1) % corners.size()] - corners[0]).cast<double>();
        normal += a.cross(b);
    }
    const Vec3d up = normal.norm() > 0 ? Vec3d(normal.normalized()) : Vec3d(0, 0, 1);
    const Vec3d x = up.unitOrthogonal();
    const Vec3d y = up.cross(x);
    std::vector<Eigen::Vector2d> flat;
    for (const Vec3f& corner : corners) {
        const Vec3d from = (corner - corners[0]).cast<double>();
        flat.emplace_back(from.dot(x), from.dot(y));
    }
    return flat;
}

double cross(const Eigen::Vector2d& a, const Eigen::Vector2d& b, const Eigen::Vector2d& c) {
    return (b.x() - a.x()) * (c.y() - a.y()) - (b.y() - a.y()) * (c.x() - a.x());
}

bool isEar(const std::vector<Eigen::Vector2d>& flat, const std::vector<std::uint32_t>& ring, std::size_t at) {
    const std::uint32_t a = ring[(at + ring.size() - 1) % ring.size()];
    const std::uint32_t b = ring[at];
    const std::uint32_t c = ring[(at + 1) % ring.size()];
    if (cross(flat[a], flat[b], flat[c]) <= 0) return false;
    for (const std::uint32_t other : ring) {
        if (other == a || other == b || other == c) continue;
        if (cross(flat[a], flat[b], flat[other]) >= 0 && cross(flat[b], flat[c], flat[other]) >= 0 &&
            cross(flat[c], flat[a], flat[other]) >= 0)
            return false;
    }
    return true;
}

}  // namespace

void triangulatePolygon(std::span<const Vec3f> corners, std::vector<Triangle>& triangles) {
    triangles.clear();
    std::vector<std::uint32_t> ring(corners.size());
    std::iota(ring.begin(), ring.end(), 0u);
    if (corners.size() > 3) {
        const std::vector<Eigen::Vector2d> flat = flattened(corners);
        bool found = true;
        while (ring.size() > 3 && found) {
            found = false;
            for (std::size_t i = 0; i < ring.size() && !found; ++i) {
                if (!isEar(flat, ring, i)) continue;
                triangles.push_back({ring[(i + ring.size() - 1) % ring.size()], ring[i], ring[(i + 1) % ring.size()]});
                ring.erase(ring.begin() + long(i));
                found = true;
            }
        }
    }
    for (std::size_t i = 1; i + 1 < ring.size(); ++i) triangles.push_back({ring[0], ring[i], ring[i + 1]});
}

}  // namespace um
