#include "draw/Landmarks.h"

#include "base/Parallel.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace um {
namespace {

constexpr int directionCount = 48;  // and their opposites

// Along a spiral over half the sphere, evenly spread.
Vec3f direction(int i) {
    const double up = (i + 0.5) / directionCount, angle = i * pi * (3 - std::sqrt(5.0));
    const double out = std::sqrt(1 - up * up);
    return Vec3d(out * std::cos(angle), up, out * std::sin(angle)).cast<float>();
}

struct Outermost {
    std::array<float, directionCount> low, high;
    std::array<std::size_t, directionCount> lowest, highest;
};

Outermost outermostOf(const std::vector<Vec3f>& positions, std::size_t begin, std::size_t end) {
    Outermost found;
    std::vector<float> heights(end - begin);
    for (int i = 0; i < directionCount; ++i) {
        const Vec3f along = direction(i);
        for (std::size_t v = begin; v < end; ++v) heights[v - begin] = along.dot(positions[v]);
        const auto [low, high] = std::minmax_element(heights.begin(), heights.end());
        found.low[std::size_t(i)] = *low;
        found.high[std::size_t(i)] = *high;
        found.lowest[std::size_t(i)] = begin + std::size_t(low - heights.begin());
        found.highest[std::size_t(i)] = begin + std::size_t(high - heights.begin());
    }
    return found;
}

}  // namespace

std::vector<Vec3f> findLandmarks(const Mesh& mesh, std::size_t count) {
    const std::vector<Vec3f>& positions = mesh.positions;
    if (positions.size() <= count) return positions;
    constexpr std::size_t chunkSize = 1 << 13;
    std::vector<Outermost> chunks(chunkCount(positions.size(), chunkSize));
    parallelChunks(positions.size(), chunkSize, [&](std::size_t chunk, std::size_t begin, std::size_t end) {
        chunks[chunk] = outermostOf(positions, begin, end);
    });
    std::vector<Vec3f> landmarks;
    for (std::size_t i = 0; i < directionCount; ++i) {
        const auto lower = [i](const Outermost& a, const Outermost& b) { return a.low[i] < b.low[i]; };
        const auto higher = [i](const Outermost& a, const Outermost& b) { return a.high[i] > b.high[i]; };
        landmarks.push_back(positions[std::min_element(chunks.begin(), chunks.end(), lower)->lowest[i]]);
        landmarks.push_back(positions[std::min_element(chunks.begin(), chunks.end(), higher)->highest[i]]);
    }
    // By the golden ratio, which no order that vertices have in a file falls in step with.
    const double golden = (std::sqrt(5.0) - 1) / 2;
    for (std::size_t i = 0; i < count; ++i) {
        const double share = double(i) * golden - std::floor(double(i) * golden);
        landmarks.push_back(positions[std::size_t(share * double(positions.size()))]);
    }
    return landmarks;
}

}  // namespace um
