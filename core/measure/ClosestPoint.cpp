#include "measure/ClosestPoint.h"

#include "base/TrianglePoint.h"

namespace um {
namespace {

Vec3d closestPointOfTriangle(const Vec3d& p, const Vec3d& a, const Vec3d& b, const Vec3d& c) {
    return closestOnTriangle(p, a, b, c).of(a, b, c);
}

Vec3d unitNormal(const Vec3d& a, const Vec3d& b, const Vec3d& c) {
    const Vec3d normal = areaNormal(a, b, c);
    const double length = normal.norm();
    return length > 0 ? Vec3d(normal / length) : Vec3d(Vec3d::Zero());
}

const Mesh& sound(const Mesh& mesh) {
    requireSound(mesh, "The mesh");
    return mesh;
}

}  // namespace

ClosestPointFinder::ClosestPointFinder(const Mesh& mesh, const Progress& progress)
    : m_mesh(sound(mesh)),
      m_around(findVertexTriangles(mesh.triangles, mesh.vertexCount())),
      m_tree(mesh, progress.span(0.2, 1)) {}

double ClosestPointFinder::distanceTo(const Vec3d& p, TriangleId triangle) const {
    return (closestPointOfTriangle(p, corner(triangle, 0), corner(triangle, 1), corner(triangle, 2)) - p).norm();
}

std::vector<VertexId> ClosestPointFinder::vertexOrder() const {
    std::vector<VertexId> order(m_mesh.vertexCount() + 1);
    std::vector<std::uint8_t> isListed(m_mesh.vertexCount(), 0);
    std::size_t count = 0;
    // Written whether listed already or not: there is no telling beforehand, so a branch would cost more.
    const auto list = [&](VertexId v) {
        order[count] = v;
        count += isListed[v] != 0 ? 0 : 1;
        isListed[v] = 1;
    };
    for (const TriangleId t : m_tree.order())
        for (const VertexId v : m_mesh.triangles[t]) list(v);
    for (VertexId v = 0; v < m_mesh.vertexCount(); ++v) list(v);
    order.resize(count);
    return order;
}

Vec3d ClosestPointFinder::pseudoNormal(const SurfacePoint& closest) const {
    const Triangle& triangle = m_mesh.triangles[closest.triangle];
    const std::array<Vec3d, 3> corners = {corner(closest.triangle, 0), corner(closest.triangle, 1),
                                          corner(closest.triangle, 2)};
    const double size = (corners[1] - corners[0]).squaredNorm() + (corners[2] - corners[0]).squaredNorm();
    const double near = 1e-12 * size;
    for (std::size_t i = 0; i < 3; ++i)
        if ((closest.place - corners[i]).squaredNorm() <= near) return vertexNormal(m_mesh, m_around, triangle[i]);
    for (std::size_t i = 0; i < 3; ++i) {
        const std::size_t j = (i + 1) % 3;
        const Vec3d edge = corners[j] - corners[i];
        const Vec3d from = closest.place - corners[i];
        if (from.cross(edge).squaredNorm() > near * edge.squaredNorm()) continue;
        Vec3d sum = Vec3d::Zero();
        for (const TriangleId t : m_around.of(triangle[i])) {
            const Triangle& other = m_mesh.triangles[t];
            if (std::find(other.begin(), other.end(), triangle[j]) != other.end())
                sum += unitNormal(corner(t, 0), corner(t, 1), corner(t, 2));
        }
        return sum;
    }
    return unitNormal(corners[0], corners[1], corners[2]);
}

double ClosestPointFinder::sideOf(const Vec3d& p, const SurfacePoint& closest) const {
    // Square to its triangle: as nearly everywhere.
    const Vec3d way = p - closest.place;
    const Vec3d normal =
        areaNormal(corner(closest.triangle, 0), corner(closest.triangle, 1), corner(closest.triangle, 2));
    const double along = way.dot(normal);
    constexpr double nearlyAll = 1 - 1e-6;
    if (along * along > nearlyAll * way.squaredNorm() * normal.squaredNorm()) return along < 0 ? -1 : 1;
    return way.dot(pseudoNormal(closest)) < 0 ? -1 : 1;
}

}  // namespace um
