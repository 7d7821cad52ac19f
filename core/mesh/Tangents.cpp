#include "mesh/Tangents.h"

#include <cmath>

namespace um {

std::vector<Vec4f> makeTangents(const Mesh& mesh) {
    std::vector<Vec3d> sums(mesh.wedgeCount(), Vec3d::Zero());
    std::vector<double> sides(mesh.wedgeCount(), 0);
    for (TriangleId t = 0; t < mesh.triangleCount(); ++t) {
        const Triangle &triangle = mesh.triangles[t], &wedges = mesh.wedgesOf(t);
        const auto place = [&](std::size_t k) { return Vec3d(mesh.positions[triangle[k % 3]].cast<double>()); };
        const Vec3d ab = place(1) - place(0), ac = place(2) - place(0);
        const Eigen::Vector2d uvAb = (mesh.uvs[wedges[1]] - mesh.uvs[wedges[0]]).cast<double>(),
                              uvAc = (mesh.uvs[wedges[2]] - mesh.uvs[wedges[0]]).cast<double>();
        const double area = uvAb.x() * uvAc.y() - uvAb.y() * uvAc.x();
        if (area == 0) continue;
        const Vec3d along = (area > 0 ? 1.0 : -1.0) * (uvAc.y() * ab - uvAb.y() * ac);
        for (std::size_t k = 0; k < 3; ++k) {
            const Vec3d normal = mesh.normals[wedges[k]].cast<double>();
            const Vec3d flat = along - normal.dot(along) * normal;
            const Vec3d toNext = place(k + 1) - place(k), toLast = place(k + 2) - place(k);
            const double angle = std::atan2(toNext.cross(toLast).norm(), toNext.dot(toLast));
            if (flat.norm() > 0) sums[wedges[k]] += angle * flat.normalized();
            sides[wedges[k]] += area > 0 ? angle : -angle;
        }
    }
    std::vector<Vec4f> tangents(sums.size());
    for (std::size_t w = 0; w < sums.size(); ++w) {
        const Vec3d normal = mesh.normals[w].cast<double>();
        const double length = sums[w].norm();
        const Vec3d tangent = length > 1e-12 ? Vec3d(sums[w] / length) : normal.unitOrthogonal();
        tangents[w] = Vec4f(float(tangent.x()), float(tangent.y()), float(tangent.z()), sides[w] < 0 ? -1.0f : 1.0f);
    }
    return tangents;
}

}  // namespace um
