#include "bake/Hull.h"

#include <algorithm>
#include <cmath>
#include <limits>

namespace um {

std::vector<Vec2d> convexHull(std::vector<Vec2d> points) {
    std::sort(points.begin(), points.end(),
              [](const Vec2d& a, const Vec2d& b) { return std::pair(a.x(), a.y()) < std::pair(b.x(), b.y()); });
    std::vector<Vec2d> hull;
    const auto turnsLeft = [&](const Vec2d& p) {
        const Vec2d a = hull[hull.size() - 2], ab = hull.back() - a, ap = p - a;
        return ab.x() * ap.y() - ab.y() * ap.x() > 0;
    };
    for (int side = 0; side < 2 && !points.empty(); ++side) {  // the lower one, then back along the upper one
        const std::size_t begin = hull.size();
        for (const Vec2d& p : points) {
            while (hull.size() >= begin + 2 && !turnsLeft(p)) hull.pop_back();
            hull.push_back(p);
        }
        hull.pop_back();
        std::reverse(points.begin(), points.end());
    }
    return hull;
}

UprightBox smallestBox(const std::vector<Vec2d>& points) {
    const std::vector<Vec2d> hull = convexHull(points);
    UprightBox best;
    double least = std::numeric_limits<double>::infinity();
    for (std::size_t i = 0; i < hull.size(); ++i) {
        const Vec2d side = hull[(i + 1) % hull.size()] - hull[i];
        const double angle = -std::atan2(side.y(), side.x());
        Eigen::AlignedBox2d box;
        const Eigen::Matrix2d rotation = Eigen::Rotation2Dd(angle).toRotationMatrix();
        for (const Vec2d& p : hull) box.extend(rotation * p);
        if (box.volume() >= least * (1 - 1e-9)) continue;
        least = box.volume();
        const Vec2d sizes = box.sizes();
        best = {sizes.x() >= sizes.y() ? angle : angle + pi / 2, sizes.maxCoeff(), sizes.minCoeff()};
    }
    return best;
}

double polygonArea(const std::vector<Vec2d>& corners) {
    double twice = 0;
    for (std::size_t i = 0; i < corners.size(); ++i) {
        const Vec2d &a = corners[i], &b = corners[(i + 1) % corners.size()];
        twice += a.x() * b.y() - a.y() * b.x();
    }
    return twice / 2;
}

double polygonLength(const std::vector<Vec2d>& corners) {
    double length = 0;
    for (std::size_t i = 0; i < corners.size(); ++i) length += (corners[(i + 1) % corners.size()] - corners[i]).norm();
    return length;
}

}  // namespace um
