#include "mesh/UvCharts.h"

#include "base/Parallel.h"

#include <oneapi/tbb/parallel_sort.h>
#include <numeric>
#include <tuple>

namespace um {
namespace {

// An edge by its vertices, and where these lie in the UVs.
struct Edge {
    VertexId low, high;
    std::uint16_t material;
    std::array<float, 4> uvs;
    ChartEdge place;

    auto key() const { return std::tie(low, high, material, uvs); }
    bool operator<(const Edge& other) const {
        return std::tie(low, high, material, uvs, place.triangle, place.corner) <
               std::tie(other.low, other.high, other.material, other.uvs, other.place.triangle, other.place.corner);
    }
};

}  // namespace

UvCharts findUvCharts(const Mesh& mesh) {
    const std::size_t count = mesh.triangleCount();
    std::vector<Edge> edges(3 * count);
    const std::vector<std::uint16_t> sectionOf = sectionOfTriangles(mesh);
    parallelFor(count, [&](std::size_t t) {
        const Triangle &v = mesh.triangles[t], &w = mesh.wedgesOf(TriangleId(t));
        for (std::uint32_t k = 0; k < 3; ++k) {
            std::uint32_t a = k, b = (k + 1) % 3;
            if (v[a] > v[b]) std::swap(a, b);
            const Vec2f &first = mesh.uvs[w[a]], &second = mesh.uvs[w[b]];
            edges[3 * t + k] = {v[a],
                                v[b],
                                std::uint16_t(mesh.sections[sectionOf[t]].material),
                                {first.x(), first.y(), second.x(), second.y()},
                                {TriangleId(t), k}};
        }
    });
    tbb::parallel_sort(edges.begin(), edges.end());
    std::vector<std::uint32_t> parent(count);
    std::iota(parent.begin(), parent.end(), 0u);
    const auto find = [&](std::uint32_t i) {
        while (parent[i] != i) i = parent[i] = parent[parent[i]];
        return i;
    };
    UvCharts charts;
    for (std::size_t begin = 0, end = 0; begin < edges.size(); begin = end) {
        for (end = begin + 1; end < edges.size() && edges[end].key() == edges[begin].key(); ++end) {
            const std::uint32_t a = find(edges[begin].place.triangle), b = find(edges[end].place.triangle);
            parent[std::max(a, b)] = std::min(a, b);
        }
        if (end == begin + 1) charts.borders.push_back(edges[begin].place);
    }
    std::sort(charts.borders.begin(), charts.borders.end(), [](const ChartEdge& a, const ChartEdge& b) {
        return std::tie(a.triangle, a.corner) < std::tie(b.triangle, b.corner);
    });
    charts.chartOf.resize(count);
    for (std::uint32_t t = 0; t < count; ++t) {
        const std::uint32_t root = find(t);
        charts.chartOf[t] = root == t ? std::uint32_t(charts.count++) : charts.chartOf[root];
    }
    return charts;
}

std::array<Vec2d, 3> uvCorners(const Mesh& mesh, TriangleId triangle) {
    const Triangle& w = mesh.wedgesOf(triangle);
    return {mesh.uvs[w[0]].cast<double>(), mesh.uvs[w[1]].cast<double>(), mesh.uvs[w[2]].cast<double>()};
}

Vec3d sharesAtUv(const std::array<Vec2d, 3>& corners, const Vec2d& uv) {
    const auto turn = [](const Vec2d& a, const Vec2d& b) { return a.x() * b.y() - a.y() * b.x(); };
    const Vec2d ab = corners[1] - corners[0], ac = corners[2] - corners[0], ap = uv - corners[0];
    const double area = turn(ab, ac);
    const double second = turn(ap, ac) / area, third = turn(ab, ap) / area;
    return {1 - second - third, second, third};
}

double uvArea(const Mesh& mesh, TriangleId t) {
    const Triangle& w = mesh.wedgesOf(t);
    const Vec2d ab = (mesh.uvs[w[1]] - mesh.uvs[w[0]]).cast<double>(),
                ac = (mesh.uvs[w[2]] - mesh.uvs[w[0]]).cast<double>();
    return ab.x() * ac.y() - ab.y() * ac.x();
}

}  // namespace um
