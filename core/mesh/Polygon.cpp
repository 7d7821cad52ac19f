#include "mesh/Polygon.h"

#include <Eigen/Geometry>

#include <algorithm>
#include <cmath>

namespace um {
namespace {

using Vec2d = Eigen::Vector2d;

// The polygon's corners in the plane that fits it (Newell's normal), counterclockwise.
std::vector<Vec2d> flattened(std::span<const Vec3f> corners) {
    Vec3d normal = Vec3d::Zero();
    for (std::size_t i = 0; i < corners.size(); ++i) {
        const Vec3d a = (corners[i] - corners[0]).cast<double>();
        const Vec3d b = (corners[(i + 1) % corners.size()] - corners[0]).cast<double>();
        normal += a.cross(b);
    }
    const Vec3d up = normal.norm() > 0 ? Vec3d(normal.normalized()) : Vec3d(0, 0, 1);
    const Vec3d x = up.unitOrthogonal();
    const Vec3d y = up.cross(x);
    std::vector<Vec2d> flat;
    flat.reserve(corners.size());
    for (const Vec3f& corner : corners) {
        const Vec3d from = (corner - corners[0]).cast<double>();
        flat.emplace_back(from.dot(x), from.dot(y));
    }
    return flat;
}

// Twice the area of a, b, c: positive where they turn left.
double turn(const Vec2d& a, const Vec2d& b, const Vec2d& c) {
    return (b.x() - a.x()) * (c.y() - a.y()) - (b.y() - a.y()) * (c.x() - a.x());
}

// A polygon from which one ear after the other is cut: a corner whose triangle holds no other corner. Only corners at
// which the polygon bends inwards can lie in one; a grid finds those that are near.
class Ears {
public:
    explicit Ears(std::span<const Vec3f> corners);
    void cut(std::vector<Triangle>& triangles);

private:
    using Index = std::uint32_t;
    struct Link {
        Index previous, next;
    };

    bool bendsInwards(Index i) const { return turn(m_at[m_links[i].previous], m_at[i], m_at[m_links[i].next]) <= 0; }
    bool isEar(Index i);
    bool blocks(Index ear, Index other) const;
    Index cutOff(Index i, std::vector<Triangle>& triangles);
    std::size_t column(double x) const { return cell(x - m_low.x()); }
    std::size_t row(double y) const { return cell(y - m_low.y()); }
    // Whatever the coordinates: those that are no numbers are found out later.
    std::size_t cell(double way) const {
        const double at = way * m_cellsPerLength;
        return at < double(m_side) ? (at > 0 ? std::size_t(at) : 0) : m_side - 1;
    }

    std::vector<Vec2d> m_at;
    std::vector<Link> m_links;
    std::vector<std::vector<Index>> m_cells;  // corners that bend inwards, and some that no longer do
    std::size_t m_side = 1;                   // cells along a side of the grid
    Vec2d m_low;
    double m_cellsPerLength = 0;
};

Ears::Ears(std::span<const Vec3f> corners) : m_at(flattened(corners)), m_links(corners.size()) {
    const Index n = Index(corners.size());
    Vec2d high = m_at[0];
    m_low = m_at[0];
    for (Index i = 0; i < n; ++i) {
        m_links[i] = {i == 0 ? n - 1 : i - 1, i + 1 == n ? 0 : i + 1};
        m_low = m_low.cwiseMin(m_at[i]);
        high = high.cwiseMax(m_at[i]);
    }
    m_side = std::clamp<std::size_t>(std::size_t(std::sqrt(double(n) / 8)), 1, 512);
    const double size = (high - m_low).maxCoeff();
    if (size > 0) m_cellsPerLength = double(m_side) / size;
    m_cells.resize(m_side * m_side);
    for (Index i = 0; i < n; ++i)
        if (bendsInwards(i)) m_cells[row(m_at[i].y()) * m_side + column(m_at[i].x())].push_back(i);
}

// Does the corner `other`, which bends inwards, keep the corner `ear` from being cut off?
bool Ears::blocks(Index ear, Index other) const {
    const auto [before, after] = m_links[ear];
    if (other == before || other == ear || other == after) return false;
    const Vec2d &a = m_at[before], &b = m_at[ear], &c = m_at[after], &p = m_at[other];
    // A slit's other side: what begins beside the triangle cannot run into it without crossing the polygon. Only what
    // begins at its tip can, and then leaves it through the cut.
    if (p == a || p == c) return false;
    const auto opensTo = [&](const Vec2d& q) { return turn(a, b, q) > 0 && turn(b, c, q) > 0; };
    if (p == b) return opensTo(m_at[m_links[other].previous]) || opensTo(m_at[m_links[other].next]);
    return turn(a, b, p) >= 0 && turn(b, c, p) >= 0 && turn(c, a, p) >= 0;
}

bool Ears::isEar(Index i) {
    if (bendsInwards(i)) return false;
    const Vec2d &a = m_at[m_links[i].previous], &b = m_at[i], &c = m_at[m_links[i].next];
    const Vec2d low = a.cwiseMin(b).cwiseMin(c), high = a.cwiseMax(b).cwiseMax(c);
    for (std::size_t y = row(low.y()); y <= row(high.y()); ++y) {
        for (std::size_t x = column(low.x()); x <= column(high.x()); ++x) {
            std::vector<Index>& near = m_cells[y * m_side + x];
            for (std::size_t k = 0; k < near.size();) {
                if (!bendsInwards(near[k])) {  // cuts have straightened it: it never bends inwards again
                    near[k] = near.back();
                    near.pop_back();
                } else if (blocks(i, near[k])) {
                    return false;
                } else {
                    ++k;
                }
            }
        }
    }
    return true;
}

// Returns the corner to look at next: not its neighbour, so that triangles come out even and not as a fan.
Ears::Index Ears::cutOff(Index i, std::vector<Triangle>& triangles) {
    const auto [before, after] = m_links[i];
    triangles.push_back({before, i, after});
    m_links[before].next = after;
    m_links[after].previous = before;
    return m_links[after].next;
}

void Ears::cut(std::vector<Triangle>& triangles) {
    Index at = 0;
    std::size_t left = m_at.size(), looked = 0;
    while (left > 3 && looked < left) {
        if (isEar(at)) {
            at = cutOff(at, triangles);
            --left;
            looked = 0;
        } else {
            at = m_links[at].next;
            ++looked;
        }
    }
    for (Index i = m_links[at].next; left > 2; --left, i = m_links[i].next)
        triangles.push_back({at, i, m_links[i].next});
}

}  // namespace

void triangulatePolygon(std::span<const Vec3f> corners, std::vector<Triangle>& triangles) {
    triangles.clear();
    if (corners.size() == 3) triangles.push_back({0, 1, 2});
    if (corners.size() > 3) Ears(corners).cut(triangles);
}

}  // namespace um
