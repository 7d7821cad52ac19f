#include "mesh/UvMap.h"

#include <algorithm>
#include <cmath>
#include <utility>

namespace um {
namespace {

constexpr int lattice = 1024;
constexpr double leastOverlapShare = 0.01;

// Calls `visit` with the lattice points within the triangle, not those on its rim: neighbours share that. A triangle
// that goes round the lattice is looked at no farther than once.
template <class Visit>
void forPointsWithin(const Vec2f& a, const Vec2f& b, const Vec2f& c, const Visit& visit) {
    const auto cross = [](double ax, double ay, double bx, double by) { return ax * by - ay * bx; };
    const double x[] = {double(a.x()) * lattice, double(b.x()) * lattice, double(c.x()) * lattice};
    const double y[] = {double(a.y()) * lattice, double(b.y()) * lattice, double(c.y()) * lattice};
    const double area = cross(x[1] - x[0], y[1] - y[0], x[2] - x[0], y[2] - y[0]);
    if (!(std::abs(area) > 0) || !std::isfinite(area)) return;
    const auto range = [](const double(&v)[3]) {
        const double from = std::ceil(std::min({v[0], v[1], v[2]}) - 0.5);
        const double to = std::min(std::floor(std::max({v[0], v[1], v[2]}) - 0.5), from + lattice - 1);
        return std::pair(from, to);
    };
    const auto [left, right] = range(x);
    const auto [bottom, top] = range(y);
    if (std::max({std::abs(left), std::abs(right), std::abs(bottom), std::abs(top)}) > 1e9) return;
    const auto wrapped = [](double v) { return std::size_t(((long(v) % lattice) + lattice) % lattice); };
    for (double row = bottom; row <= top; ++row)
        for (double column = left; column <= right; ++column) {
            bool within = true;
            for (std::size_t i = 0; i < 3 && within; ++i) {
                const std::size_t j = (i + 1) % 3;
                const double side = cross(x[j] - x[i], y[j] - y[i], column + 0.5 - x[i], row + 0.5 - y[i]);
                within = area > 0 ? side > 1e-9 * area : side < 1e-9 * area;
            }
            if (within) visit(wrapped(row) * lattice + wrapped(column));
        }
}

}  // namespace

UvScale uvScale(const Mesh& mesh, TriangleId t, const std::vector<Vec2f>& uvs, const Eigen::Vector2d& size) {
    const Triangle &triangle = mesh.triangles[t], &wedges = mesh.wedgesOf(t);
    const Vec3d a = mesh.positions[triangle[0]].cast<double>();
    const Vec3d ab = mesh.positions[triangle[1]].cast<double>() - a;
    const Vec3d ac = mesh.positions[triangle[2]].cast<double>() - a;
    UvScale scale;
    scale.area = ab.cross(ac).norm() / 2;
    if (!(scale.area > 0)) return {};
    const auto place = [&](std::size_t corner) {
        return Eigen::Vector2d(uvs[wedges[corner]].cast<double>().cwiseProduct(size));
    };
    // In axes of the triangle's own plane, of which the first runs along ab.
    const double length = ab.norm(), along = ab.dot(ac) / length, up = 2 * scale.area / length;
    Eigen::Matrix2d here, there;
    here << length, along, 0, up;
    there.col(0) = place(1) - place(0);
    there.col(1) = place(2) - place(0);
    const Eigen::Matrix2d map = there * here.inverse();
    // Its singular values, from what does not depend on the axes.
    const double squares = map.squaredNorm(), product = std::abs(map.determinant());
    const double sum = std::sqrt(squares + 2 * product), gap = std::sqrt(std::max(0.0, squares - 2 * product));
    scale.most = (sum + gap) / 2;
    scale.least = std::max(0.0, (sum - gap) / 2);
    return scale;
}

UvOverlap findUvOverlap(const Mesh& mesh, const Progress& progress) {
    UvOverlap result;
    if (mesh.uvs.empty()) return result;
    std::vector<std::uint8_t> isOver(mesh.triangleCount(), 0);
    std::vector<TriangleId> over, owner;
    std::vector<std::uint8_t> isTwice;
    for (std::uint32_t material = 0; material < mesh.materials.size(); ++material) {
        owner.assign(std::size_t(lattice) * lattice, noIndex);
        isTwice.assign(owner.size(), 0);
        std::size_t covered = 0, twice = 0;
        over.clear();
        for (const Section& section : mesh.sections) {
            if (section.material != material) continue;
            for (TriangleId t = section.firstTriangle; t < section.firstTriangle + section.triangleCount; ++t) {
                if (t % 65536 == 0) progress.check();
                const Triangle& wedges = mesh.wedgesOf(t);
                forPointsWithin(mesh.uvs[wedges[0]], mesh.uvs[wedges[1]], mesh.uvs[wedges[2]], [&](std::size_t point) {
                    if (owner[point] == noIndex) {
                        owner[point] = t;
                        ++covered;
                    } else if (owner[point] != t) {
                        for (const TriangleId one : {t, owner[point]})
                            if (std::exchange(isOver[one], std::uint8_t(1)) == 0) over.push_back(one);
                        twice += isTwice[point] == 0 ? 1 : 0;
                        isTwice[point] = 1;
                    }
                });
            }
        }
        const double share = covered > 0 ? double(twice) / double(covered) : 0;
        if (share < leastOverlapShare) continue;
        ++result.materials;
        result.triangles.insert(result.triangles.end(), over.begin(), over.end());
        if (share <= result.share) continue;
        result.share = share;
        result.worst = material;
    }
    std::sort(result.triangles.begin(), result.triangles.end());
    return result;
}

}  // namespace um
