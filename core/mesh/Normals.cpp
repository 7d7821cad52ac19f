#include "mesh/Normals.h"

#include "base/Parallel.h"
#include "mesh/Connectivity.h"
#include "mesh/Weld.h"

namespace um {
namespace {

// The corners at one vertex, in groups within which the surface is smooth. groups[i] belongs to triangle list[i].
void groupSmoothCorners(const Mesh& mesh, VertexId v, std::span<const TriangleId> list,
                        const std::vector<Vec3f>& faceNormals, float leastCosine,
                        const std::vector<std::uint32_t>& smoothWithin, std::vector<std::size_t>& groups) {
    groups.resize(list.size());
    for (std::size_t i = 0; i < groups.size(); ++i) groups[i] = i;
    for (std::size_t i = 0; i < list.size(); ++i)
        for (std::size_t j = i + 1; j < list.size(); ++j) {
            if (groups[i] == groups[j]) continue;
            const bool isWithin = !smoothWithin.empty() && smoothWithin[list[i]] == smoothWithin[list[j]];
            if (!isWithin && faceNormals[list[i]].dot(faceNormals[list[j]]) < leastCosine) continue;
            bool shareEdge = false;
            for (const VertexId w : mesh.triangles[list[i]])
                for (const VertexId x : mesh.triangles[list[j]]) shareEdge = shareEdge || (w == x && w != v);
            if (!shareEdge) continue;
            const std::size_t from = std::max(groups[i], groups[j]);
            const std::size_t to = std::min(groups[i], groups[j]);
            std::replace(groups.begin(), groups.end(), from, to);
        }
}

}  // namespace

void makeNormals(Mesh& mesh, double creaseDegrees, const std::vector<std::uint32_t>& smoothWithin) {
    const VertexTriangles around = findVertexTriangles(mesh.triangles, mesh.vertexCount());
    std::vector<Vec3f> faceNormals(mesh.triangleCount());
    parallelFor(mesh.triangleCount(), [&](std::size_t t) {
        const Triangle& triangle = mesh.triangles[t];
        const Vec3d normal =
            areaNormal(mesh.positions[triangle[0]].cast<double>(), mesh.positions[triangle[1]].cast<double>(),
                       mesh.positions[triangle[2]].cast<double>());
        faceNormals[t] = normal.norm() > 0 ? Vec3f(normal.normalized().cast<float>()) : Vec3f(Vec3f::Zero());
    });
    const auto leastCosine = float(std::cos(creaseDegrees * pi / 180));
    mesh.normals.clear();
    std::vector<Triangle> oldWedges;
    if (mesh.hasAttributes()) oldWedges = mesh.wedges.empty() ? mesh.triangles : mesh.wedges;
    std::vector<std::array<std::uint64_t, 3>> keys(mesh.triangleCount());
    std::vector<Triangle> cornerNormal(mesh.triangleCount());  // the triangle whose corner leads the smooth group
    parallelRanges(mesh.vertexCount(), [&](std::size_t begin, std::size_t end) {
        std::vector<std::size_t> groups;
        for (std::size_t v = begin; v < end; ++v) {
            const auto list = around.of(VertexId(v));
            constexpr std::size_t pole = 1024;  // the tip of a fan: comparing all pairs would take the square of it
            if (list.size() <= pole)
                groupSmoothCorners(mesh, VertexId(v), list, faceNormals, leastCosine, smoothWithin, groups);
            else
                groups.assign(list.size(), 0);
            for (std::size_t i = 0; i < list.size(); ++i) {
                const TriangleId t = list[i];
                for (std::size_t corner = 0; corner < 3; ++corner) {
                    if (mesh.triangles[t][corner] != v) continue;
                    cornerNormal[t][corner] = std::uint32_t(groups[i]);
                    keys[t][corner] = std::uint64_t(oldWedges.empty() ? 0 : oldWedges[t][corner]) << 32 | groups[i];
                }
            }
        }
    });
    const std::vector<std::uint64_t> wedgeKeys = assignWedges(mesh, keys);
    forWedgeAttributes(mesh, [&](auto& attribute) {
        if (attribute.empty()) return;
        auto old = std::move(attribute);
        attribute = {};
        attribute.resize(wedgeKeys.size());
        for (std::size_t w = 0; w < wedgeKeys.size(); ++w) attribute[w] = old[wedgeKeys[w] >> 32];
    });
    mesh.normals.assign(wedgeKeys.size(), Vec3f(0, 1, 0));
    parallelFor(mesh.vertexCount(), [&](std::size_t v) {
        const auto list = around.of(VertexId(v));
        for (const TriangleId t : list) {
            const std::size_t corner = mesh.triangles[t][0] == v ? 0 : mesh.triangles[t][1] == v ? 1 : 2;
            const std::uint32_t group = cornerNormal[t][corner];
            if (list[group] != t && list.size() <= 1024) continue;  // done by the group's leader
            Vec3d sum = Vec3d::Zero();
            for (const TriangleId other : list) {
                const std::size_t c = mesh.triangles[other][0] == v ? 0 : mesh.triangles[other][1] == v ? 1 : 2;
                if (cornerNormal[other][c] != group) continue;
                const Vec3d here = mesh.positions[v].cast<double>();
                const Vec3d a = mesh.positions[mesh.triangles[other][(c + 1) % 3]].cast<double>() - here;
                const Vec3d b = mesh.positions[mesh.triangles[other][(c + 2) % 3]].cast<double>() - here;
                sum += faceNormals[other].cast<double>() * std::atan2(a.cross(b).norm(), a.dot(b));
            }
            if (!(sum.norm() > 0)) continue;
            const Vec3f normal = sum.normalized().cast<float>();
            for (const TriangleId other : list) {
                const std::size_t c = mesh.triangles[other][0] == v ? 0 : mesh.triangles[other][1] == v ? 1 : 2;
                if (cornerNormal[other][c] == group) mesh.normals[mesh.wedges[other][c]] = normal;
            }
            if (list.size() > 1024) break;
        }
    });
}

}  // namespace um
