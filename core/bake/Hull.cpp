#include "bake/Hull.h"

#include <algorithm>

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

double polygonArea(const std::vector<Vec2d>& corners) {
    double twice = 0;
    for (std::size_t i = 0; i < corners.size(); ++i) {
        const Vec2d &a = corners[i], &b = corners[(i + 1) % corners.size()];
        twice += a.x() * b.y() - a.y() * b.x();
    }
    return twice / 2;
}

}  // namespace um
