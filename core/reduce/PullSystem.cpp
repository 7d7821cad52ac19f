#include "reduce/PullSystem.h"

#include "base/Parallel.h"

#include <numeric>

#include <Eigen/LU>

namespace um {

namespace {

// Steps of conjugate gradients: the pulls change with the next closest places anyway.
constexpr int solverSteps = 3;

// The pull towards where a vertex is, as a share of the pulls of the source at it: holds what has too few of them.
constexpr double inertia = 2e-3;

// Pulls count fully along the normal of the level, and by this share sideways: sideways is where the closest place
// slides along anyway, but without any hold triangles would drift.
constexpr double sideways = 0.1;

}  // namespace

Vec3d PullBlock::through(const Vec3d& x) const {
    const Vec3d n = normal.cast<double>();
    return sideways * x + (1 - sideways) * n.dot(x) * n;
}

std::vector<Vec3d> solvePulls(const std::vector<Triangle>& triangles, const VertexTriangles& around,
                              const std::vector<PullBlock>& blocks, const std::vector<std::uint8_t>& held,
                              const Progress& progress) {
    const std::size_t vertices = held.size();
    const auto cornerOf = [&](TriangleId t, std::size_t v) {
        const Triangle& triangle = triangles[t];
        return std::size_t(triangle[0] == v ? 0 : triangle[1] == v ? 1 : 2);
    };
    std::vector<Mat3d> inverse(vertices);
    std::vector<std::uint8_t> isFree(vertices);
    std::vector<double> hold(vertices);
    std::vector<Vec3d> step(vertices, Vec3d::Zero()), residual(vertices), direction(vertices), product(vertices);
    parallelFor(vertices, [&](std::size_t v) {
        Mat3d sum = Mat3d::Zero();
        Vec3d pull = Vec3d::Zero();
        for (const TriangleId t : around.of(VertexId(v))) {
            const PullBlock& block = blocks[t];
            const std::size_t k = cornerOf(t, v);
            const Vec3d n = block.normal.cast<double>();
            sum += (double(block.e[k]) + sideways * double(block.m[k])) * Mat3d::Identity() +
                   (1 - sideways) * double(block.m[k]) * n * n.transpose();
            pull += block.pull[k].cast<double>();
        }
        hold[v] = inertia * sum.trace();
        sum += hold[v] * Mat3d::Identity();
        isFree[v] = held[v] == 0 && hold[v] > 0;
        inverse[v] = isFree[v] ? Mat3d(sum.inverse()) : Mat3d(Mat3d::Zero());
        residual[v] = isFree[v] ? pull : Vec3d(Vec3d::Zero());
    });
    const auto dot = [&](const std::vector<Vec3d>& x, const std::vector<Vec3d>& y) {
        constexpr std::size_t chunkSize = 4096;
        std::vector<double> sums(chunkCount(vertices, chunkSize), 0);
        parallelChunks(vertices, chunkSize, [&](std::size_t chunk, std::size_t begin, std::size_t end) {
            for (std::size_t v = begin; v < end; ++v) sums[chunk] += x[v].dot(y[v]);
        });
        return std::accumulate(sums.begin(), sums.end(), 0.0);
    };
    std::vector<Vec3d> scaled(vertices);
    const auto precondition = [&] {
        parallelFor(vertices, [&](std::size_t v) { scaled[v] = inverse[v] * residual[v]; });
    };
    precondition();
    direction = scaled;
    double rho = dot(residual, scaled);
    for (int i = 0; i < solverSteps && rho > 0; ++i) {
        progress.check();
        parallelFor(vertices, [&](std::size_t v) {
            if (!isFree[v]) {
                product[v].setZero();
                return;
            }
            Vec3d sum = hold[v] * direction[v];
            for (const TriangleId t : around.of(VertexId(v))) {
                const PullBlock& block = blocks[t];
                const std::size_t k = cornerOf(t, v);
                const Triangle& triangle = triangles[t];
                const std::size_t next = 3 + k, last = 3 + (k + 2) % 3;
                const Vec3d atNext = direction[triangle[(k + 1) % 3]], atLast = direction[triangle[(k + 2) % 3]];
                sum += block.through(double(block.m[k]) * direction[v] + double(block.m[next]) * atNext +
                                     double(block.m[last]) * atLast);
                sum +=
                    double(block.e[k]) * direction[v] + double(block.e[next]) * atNext + double(block.e[last]) * atLast;
            }
            product[v] = sum;
        });
        const double curvature = dot(direction, product);
        if (!(curvature > 0)) break;
        const double alpha = rho / curvature;
        parallelFor(vertices, [&](std::size_t v) {
            step[v] += alpha * direction[v];
            residual[v] -= alpha * product[v];
        });
        precondition();
        const double next = dot(residual, scaled);
        const double beta = next / rho;
        rho = next;
        parallelFor(vertices, [&](std::size_t v) { direction[v] = scaled[v] + beta * direction[v]; });
    }
    return step;
}

}  // namespace um
