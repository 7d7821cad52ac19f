#include "draw/Coverage.h"

#include "base/Error.h"
#include "base/Parallel.h"

#include <cmath>

namespace um {
namespace {

constexpr int samplesAcross = 4;
constexpr double largestCoverage = 8192;

}  // namespace

CoverageMask drawCoverage(const ContourMesh& contour, const Eigen::Matrix3d& turn, double pixelsPerUnit) {
    const Mesh& mesh = contour.mesh();
    const double scale = pixelsPerUnit * samplesAcross;
    // Counted from the mesh's middle, where single precision is best.
    const Vec3d middle = boundingBox(mesh).center().cast<double>();
    std::vector<Vec2f> places(mesh.vertexCount());
    parallelFor(mesh.vertexCount(), [&](std::size_t v) {
        const Vec3d turned = turn * (mesh.positions[v].cast<double>() - middle);
        places[v] = Vec2f(float(turned.x() * scale), float(-turned.y() * scale));
    });
    Eigen::AlignedBox2d box;
    for (const Vec2f& place : places) box.extend(place.cast<double>());
    CoverageMask mask;
    if (box.isEmpty()) return mask;
    const Eigen::Vector2d size = (box.max() - box.min()) / samplesAcross;
    if (!(size.maxCoeff() < largestCoverage))
        throw MeshError("An outline picture of that size would have more than 8,192 pixels a side; ask for fewer.");
    mask.width = int(std::ceil(size.x())) + 2;
    mask.height = int(std::ceil(size.y())) + 2;
    // Whole pixels start at the margin, so that the outline lies the same way in every size.
    const Eigen::Vector2d origin = box.min() - Eigen::Vector2d::Constant(samplesAcross);
    SampleMask samples(mask.width * samplesAcross, mask.height * samplesAcross);
    const Vec2f shift = origin.cast<float>();
    for (Vec2f& place : places) place -= shift;
    contour.cover(samples, places);
    return coverageOf(samples, samplesAcross);
}

CoverageMask coverageOf(const SampleMask& samples, int across) {
    CoverageMask mask;
    mask.width = samples.width() / across;
    mask.height = samples.height() / across;
    mask.coverage.resize(std::size_t(mask.width) * std::size_t(mask.height));
    parallelFor(
        std::size_t(mask.height),
        [&](std::size_t y) {
            for (int x = 0; x < mask.width; ++x) {
                int sum = 0;
                for (int sy = 0; sy < across; ++sy)
                    for (int sx = 0; sx < across; ++sx)
                        sum += samples.at(x * across + sx, int(y) * across + sy) ? 1 : 0;
                mask.coverage[y * std::size_t(mask.width) + std::size_t(x)] =
                    std::uint8_t(sum * 255 / (across * across));
            }
        },
        16);
    return mask;
}

}  // namespace um
