#include "mesh/Tangents.h"

#include "mesh/UvCharts.h"

#include <algorithm>
#include <cmath>

namespace um {
namespace {

// Which of the wedges upright triangles use (1), mirrored ones (2), or both (3).
std::vector<std::uint8_t> sidesOfWedges(const Mesh& mesh) {
    std::vector<std::uint8_t> sides(mesh.wedgeCount(), 0);
    for (TriangleId t = 0; t < mesh.triangleCount(); ++t) {
        const double area = uvArea(mesh, t);
        if (area == 0) continue;
        for (const WedgeId w : mesh.wedgesOf(t)) sides[w] |= area > 0 ? 1 : 2;
    }
    return sides;
}

}  // namespace

bool hasMirroredWedges(const Mesh& mesh) {
    const std::vector<std::uint8_t> sides = sidesOfWedges(mesh);
    return std::find(sides.begin(), sides.end(), 3) != sides.end();
}

void partMirroredWedges(Mesh& mesh) {
    const std::vector<std::uint8_t> sides = sidesOfWedges(mesh);
    if (mesh.wedges.empty()) mesh.wedges = mesh.triangles;
    std::vector<WedgeId> mirrored(sides.size(), 0);
    for (WedgeId w = 0; w < sides.size(); ++w) {
        if (sides[w] != 3) continue;
        mirrored[w] = WedgeId(mesh.wedgeCount());
        forWedgeAttributes(mesh, [&](auto& attribute) {
            if (!attribute.empty()) attribute.push_back(attribute[w]);
        });
    }
    for (TriangleId t = 0; t < mesh.triangleCount(); ++t) {
        if (uvArea(mesh, t) >= 0) continue;
        for (WedgeId& w : mesh.wedges[t])
            if (w < sides.size() && sides[w] == 3) w = mirrored[w];
    }
}

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
