#include "draw/Coverage.h"

#include "base/Error.h"
#include "base/Parallel.h"

#include <atomic>
#include <cmath>

namespace um {
namespace {

constexpr int samplesAcross = 4;
constexpr double largestPicture = 8192;

struct SampleGrid {
    int width, height;  // in samples
    std::vector<std::uint8_t> hit;

    void set(int x, int y) {
        // Threads only ever write 1.
        std::atomic_ref<std::uint8_t>(hit[std::size_t(y) * std::size_t(width) + std::size_t(x)])
            .store(1, std::memory_order_relaxed);
    }
};

// Marks the samples whose centres lie in the triangle, row by row between its edges.
void fillTriangle(SampleGrid& grid, const Eigen::Vector2d& a, const Eigen::Vector2d& b, const Eigen::Vector2d& c) {
    const double top = std::min({a.y(), b.y(), c.y()});
    const double bottom = std::max({a.y(), b.y(), c.y()});
    const int firstRow = std::max(0, int(std::ceil(top - 0.5)));
    const int lastRow = std::min(grid.height - 1, int(std::floor(bottom - 0.5)));
    for (int row = firstRow; row <= lastRow; ++row) {
        const double y = row + 0.5;
        double left = 1e300, right = -1e300;
        const auto crossEdge = [&](const Eigen::Vector2d& p, const Eigen::Vector2d& q) {
            if ((p.y() < y) == (q.y() < y)) return;
            const double x = p.x() + (y - p.y()) / (q.y() - p.y()) * (q.x() - p.x());
            left = std::min(left, x);
            right = std::max(right, x);
        };
        crossEdge(a, b);
        crossEdge(b, c);
        crossEdge(c, a);
        const int first = std::max(0, int(std::ceil(left - 0.5)));
        const int last = std::min(grid.width - 1, int(std::floor(std::min(right, 1e9) - 0.5)));
        for (int x = first; x <= last; ++x) grid.set(x, row);
    }
}

}  // namespace

CoverageMask drawCoverage(const Mesh& mesh, const Eigen::Matrix3d& turn, double pixelsPerUnit) {
    const double scale = pixelsPerUnit * samplesAcross;
    std::vector<Eigen::Vector2d> places(mesh.vertexCount());
    parallelFor(mesh.vertexCount(), [&](std::size_t v) {
        const Vec3d turned = turn * mesh.positions[v].cast<double>();
        places[v] = {turned.x() * scale, -turned.y() * scale};
    });
    Eigen::AlignedBox2d box;
    for (const auto& place : places) box.extend(place);
    CoverageMask mask;
    if (box.isEmpty()) return mask;
    const Eigen::Vector2d size = (box.max() - box.min()) / samplesAcross;
    if (!(size.maxCoeff() < largestPicture))
        throw MeshError("An outline picture of that size would have more than 8,192 pixels a side; ask for fewer.");
    mask.width = int(std::ceil(size.x())) + 2;
    mask.height = int(std::ceil(size.y())) + 2;
    // Whole pixels start at the margin, so that the outline lies the same way in every size.
    const Eigen::Vector2d origin = box.min() - Eigen::Vector2d::Constant(samplesAcross);
    SampleGrid grid{mask.width * samplesAcross, mask.height * samplesAcross, {}};
    grid.hit.assign(std::size_t(grid.width) * std::size_t(grid.height), 0);
    parallelFor(mesh.triangleCount(), [&](std::size_t t) {
        const Triangle& triangle = mesh.triangles[t];
        fillTriangle(grid, places[triangle[0]] - origin, places[triangle[1]] - origin, places[triangle[2]] - origin);
    });
    mask.coverage.resize(std::size_t(mask.width) * std::size_t(mask.height));
    for (int y = 0; y < mask.height; ++y)
        for (int x = 0; x < mask.width; ++x) {
            int sum = 0;
            for (int sy = 0; sy < samplesAcross; ++sy)
                for (int sx = 0; sx < samplesAcross; ++sx)
                    sum += grid.hit[std::size_t(y * samplesAcross + sy) * std::size_t(grid.width) +
                                    std::size_t(x * samplesAcross + sx)];
            mask.coverage[std::size_t(y) * std::size_t(mask.width) + std::size_t(x)] =
                std::uint8_t(sum * 255 / (samplesAcross * samplesAcross));
        }
    return mask;
}

}  // namespace um
