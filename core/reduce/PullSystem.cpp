#include "reduce/PullSystem.h"

#include "base/Parallel.h"

#include <limits>
#include <numeric>

#include <Eigen/LU>

namespace um {

namespace {

// Steps of conjugate gradients: the pulls change with the next closest places anyway.
constexpr int solverSteps = 3;

// The pull towards where a vertex is, as a share of the pulls of the source at it: holds what has too few of them.
constexpr float inertia = 2e-3F;

// Pulls count fully along the normal of the level, and by this share sideways: sideways is where the closest place
// slides along anyway, but without any hold triangles would drift.
constexpr float sideways = 0.1F;

}  // namespace

Vec3f PullBlock::through(const Vec3f& x) const {
    return sideways * x + (1 - sideways) * normal.dot(x) * normal;
}

std::vector<Vec3f> solvePulls(const std::vector<Triangle>& triangles, const VertexTriangles& around,
                              const std::vector<PullBlock>& blocks, std::vector<CornerPulls> pulls,
                              const std::vector<std::uint8_t>& held, const Progress& progress) {
    const std::size_t vertices = held.size();
    const auto cornerOf = [&](TriangleId t, std::size_t v) {
        const Triangle& triangle = triangles[t];
        return std::size_t(triangle[0] == v ? 0 : triangle[1] == v ? 1 : 2);
    };
    std::vector<Vec3f> residual(vertices, Vec3f::Zero());
    parallelFor(vertices, [&](std::size_t v) {
        for (const TriangleId t : around.of(VertexId(v))) residual[v] += pulls[t][cornerOf(t, v)];
    });
    pulls = std::vector<CornerPulls>();
    std::vector<Eigen::Matrix3f> inverse(vertices);
    std::vector<std::uint8_t> isFree(vertices);
    std::vector<float> hold(vertices);
    parallelFor(vertices, [&](std::size_t v) {
        Mat3d sum = Mat3d::Zero();
        for (const TriangleId t : around.of(VertexId(v))) {
            const PullBlock& block = blocks[t];
            const std::size_t k = cornerOf(t, v);
            const Vec3d n = block.normal.cast<double>();
            sum += double(block.e[k] + sideways * block.m[k]) * Mat3d::Identity() +
                   double((1 - sideways) * block.m[k]) * n * n.transpose();
        }
        hold[v] = inertia * float(sum.trace());
        sum += double(hold[v]) * Mat3d::Identity();
        // No direction pulls less than the hold, so that the inverse stays a number. The areas that weigh the pulls may
        // be tiny, and their third power, the determinant, more so.
        isFree[v] = held[v] == 0 && hold[v] >= std::numeric_limits<float>::min();
        inverse[v] =
            isFree[v] ? Eigen::Matrix3f(sum.inverse().cast<float>()) : Eigen::Matrix3f(Eigen::Matrix3f::Zero());
        if (!isFree[v]) residual[v].setZero();
    });
    std::vector<Vec3f> step(vertices, Vec3f::Zero()), product(vertices);
    const auto dot = [&](const std::vector<Vec3f>& x, const std::vector<Vec3f>& y) {
        constexpr std::size_t chunkSize = 4096;
        std::vector<double> sums(chunkCount(vertices, chunkSize), 0);
        parallelChunks(vertices, chunkSize, [&](std::size_t chunk, std::size_t begin, std::size_t end) {
            for (std::size_t v = begin; v < end; ++v) sums[chunk] += x[v].cast<double>().dot(y[v].cast<double>());
        });
        return std::accumulate(sums.begin(), sums.end(), 0.0);
    };
    std::vector<Vec3f> scaled(vertices);
    const auto precondition = [&] {
        parallelFor(vertices, [&](std::size_t v) { scaled[v] = inverse[v] * residual[v]; });
    };
    precondition();
    std::vector<Vec3f> direction = scaled;
    double rho = dot(residual, scaled);
    for (int i = 0; i < solverSteps && rho > 0; ++i) {
        progress.check();
        parallelFor(vertices, [&](std::size_t v) {
            if (!isFree[v]) {
                product[v].setZero();
                return;
            }
            Vec3f sum = hold[v] * direction[v];
            for (const TriangleId t : around.of(VertexId(v))) {
                const PullBlock& block = blocks[t];
                const std::size_t k = cornerOf(t, v);
                const Triangle& triangle = triangles[t];
                const std::size_t next = 3 + k, last = 3 + (k + 2) % 3;
                const Vec3f atNext = direction[triangle[(k + 1) % 3]], atLast = direction[triangle[(k + 2) % 3]];
                sum += block.through(block.m[k] * direction[v] + block.m[next] * atNext + block.m[last] * atLast);
                sum += block.e[k] * direction[v] + block.e[next] * atNext + block.e[last] * atLast;
            }
            product[v] = sum;
        });
        const double curvature = dot(direction, product);
        if (!(curvature > 0)) break;
        const auto alpha = float(rho / curvature);
        parallelFor(vertices, [&](std::size_t v) {
            step[v] += alpha * direction[v];
            residual[v] -= alpha * product[v];
        });
        precondition();
        const double next = dot(residual, scaled);
        const auto beta = float(next / rho);
        rho = next;
        parallelFor(vertices, [&](std::size_t v) { direction[v] = scaled[v] + beta * direction[v]; });
    }
    return step;
}

}  // namespace um
