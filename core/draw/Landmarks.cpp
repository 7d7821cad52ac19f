#include "draw/Landmarks.h"

#include "base/Parallel.h"

#include <array>
#include <cmath>
#include <limits>
#include <span>

namespace um {
namespace {

constexpr int landmarkDirections = 48;  // and their opposites

// Along a spiral over half the sphere, evenly spread.
Vec3f direction(int i) {
    const double up = (i + 0.5) / landmarkDirections, angle = i * pi * (3 - std::sqrt(5.0));
    const double out = std::sqrt(1 - up * up);
    return Vec3d(out * std::cos(angle), up, out * std::sin(angle)).cast<float>();
}

// The places that are farthest along a direction, and against it.
struct Reach {
    Vec3f lowest, highest;
    float low = std::numeric_limits<float>::max(), high = std::numeric_limits<float>::lowest();

    void take(const Vec3f& place, float height) {
        if (height < low) {
            low = height;
            lowest = place;
        }
        if (height > high) {
            high = height;
            highest = place;
        }
    }
};
using Outermost = std::array<Reach, landmarkDirections>;

// Looks at the places only in directions in which their box reaches farther than what is known.
void extend(Outermost& known, std::span<const Vec3f> places) {
    Box3f box;
    for (const Vec3f& place : places) box.extend(place);
    for (int i = 0; i < landmarkDirections; ++i) {
        Reach& reach = known[std::size_t(i)];
        const Vec3f along = direction(i);
        const float middle = along.dot(box.center()), half = along.cwiseAbs().dot(box.sizes()) / 2;
        if (middle - half >= reach.low && middle + half <= reach.high) continue;
        for (const Vec3f& place : places) reach.take(place, along.dot(place));
    }
}

}  // namespace

std::vector<Vec3f> findLandmarks(const Mesh& mesh, std::size_t count) {
    const std::vector<Vec3f>& positions = mesh.positions;
    if (positions.size() <= count) return positions;
    // By the golden ratio, which no order that vertices have in a file falls in step with.
    std::vector<Vec3f> landmarks;
    const double golden = (std::sqrt(5.0) - 1) / 2;
    for (std::size_t i = 0; i < count; ++i) {
        const double share = double(i) * golden - std::floor(double(i) * golden);
        landmarks.push_back(positions[std::size_t(share * double(positions.size()))]);
    }
    Outermost outermost;
    extend(outermost, landmarks);
    constexpr std::size_t chunkSize = 1 << 12;
    std::vector<Outermost> chunks(chunkCount(positions.size(), chunkSize), outermost);
    parallelChunks(positions.size(), chunkSize, [&](std::size_t chunk, std::size_t begin, std::size_t end) {
        extend(chunks[chunk], std::span(positions).subspan(begin, end - begin));
    });
    for (std::size_t i = 0; i < landmarkDirections; ++i) {
        for (const Outermost& chunk : chunks) {
            outermost[i].take(chunk[i].lowest, chunk[i].low);
            outermost[i].take(chunk[i].highest, chunk[i].high);
        }
        landmarks.push_back(outermost[i].lowest);
        landmarks.push_back(outermost[i].highest);
    }
    return landmarks;
}

}  // namespace um
