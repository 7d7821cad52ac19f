#include "draw/DepthMap.h"

#include "base/Parallel.h"
#include "draw/TriangleRows.h"

#include <atomic>
#include <cmath>

namespace um {

namespace {

void raise(float& value, float to) {
    std::atomic_ref<float> shared(value);
    float known = shared.load(std::memory_order_relaxed);
    while (known < to && !shared.compare_exchange_weak(known, to, std::memory_order_relaxed)) {
    }
}

void drawTriangle(DepthMap& map, const Vec3d& a, const Vec3d& b, const Vec3d& c) {
    const double area = (b.x() - a.x()) * (c.y() - a.y()) - (b.y() - a.y()) * (c.x() - a.x());
    if (area == 0) return;
    const TriangleRows rows(a, b, c, {0, map.width - 1}, {0, map.height - 1});
    rows.forCovered(area, [&](int x, int y, const std::array<double, 3>& shares) {
        raise(map.nearest[std::size_t(y) * std::size_t(map.width) + std::size_t(x)],
              float(shares[0] * a.z() + shares[1] * b.z() + shares[2] * c.z()));
    });
}

}  // namespace

std::vector<Mat3d> evenDirections(int count) {
    const double golden = pi * (3 - std::sqrt(5.0));
    std::vector<Mat3d> turns;
    for (int i = 0; i < count; ++i) {
        const double z = 1 - (2 * i + 1.0) / count;
        const double r = std::sqrt(1 - z * z);
        const Vec3d direction(r * std::cos(golden * i), r * std::sin(golden * i), z);
        turns.push_back(Eigen::Quaterniond::FromTwoVectors(direction, Vec3d::UnitZ()).toRotationMatrix());
    }
    return turns;
}

Vec3d DepthMap::project(const Vec3f& p) const {
    const Vec3d turned = turn * p.cast<double>();
    return {turned.x() * pixelsPerUnit - origin.x(), turned.y() * pixelsPerUnit - origin.y(), turned.z()};
}

float DepthMap::at(int x, int y) const {
    if (x < 0 || y < 0 || x >= width || y >= height) return empty;
    return nearest[std::size_t(y) * std::size_t(width) + std::size_t(x)];
}

DepthMap drawDepth(const Mesh& mesh, const Mat3d& turn, int pixels) {
    DepthMap map;
    map.turn = turn;
    const Box3f box = boundingBox(mesh);
    const double size = (box.max() - box.min()).cast<double>().maxCoeff();
    if (!(size > 0)) return map;
    map.pixelsPerUnit = pixels / size;
    Eigen::AlignedBox2d flat;
    for (int corner = 0; corner < 8; ++corner)
        flat.extend(map.project(box.corner(Box3f::CornerType(corner))).head<2>());
    map.origin = flat.min() - Eigen::Vector2d::Constant(2);
    map.width = int(std::ceil(flat.sizes().x())) + 4;
    map.height = int(std::ceil(flat.sizes().y())) + 4;
    map.nearest.assign(std::size_t(map.width) * std::size_t(map.height), DepthMap::empty);
    std::vector<Vec3d> places(mesh.vertexCount());
    parallelFor(places.size(), [&](std::size_t v) { places[v] = map.project(mesh.positions[v]); });
    parallelFor(mesh.triangleCount(), [&](std::size_t t) {
        const Triangle& triangle = mesh.triangles[t];
        drawTriangle(map, places[triangle[0]], places[triangle[1]], places[triangle[2]]);
        for (const VertexId v : triangle)
            raise(map.nearest[std::size_t(places[v].y()) * std::size_t(map.width) + std::size_t(places[v].x())],
                  float(places[v].z()));
    });
    return map;
}

}  // namespace um
