#pragma once
/// The closest points of a surface to many points, in parallel and in groups.
#include "base/Parallel.h"
#include "measure/ClosestPoint.h"

namespace um {

/// Calls `take(i, place, closest)` for i = 0 … count - 1, from any thread. It is several times as fast if points that
/// are near to each other have neighbouring indices.
/// @param placeOf  called as placeOf(i): the point, a Vec3d
/// @throws Cancelled
template <class PlaceOf, class Take>
void findClosestOfMany(const ClosestPointFinder& surface, std::size_t count, const PlaceOf& placeOf, const Take& take,
                       const Progress& progress) {
    constexpr std::size_t chunkSize = 2048, atOnce = ClosestPointFinder::atOnce;
    std::atomic<std::size_t> done = 0;
    parallelChunks(count, chunkSize, [&](std::size_t, std::size_t begin, std::size_t end) {
        std::array<Vec3d, atOnce> places;
        std::array<SurfacePoint, atOnce> closest;
        TriangleId hint = 0;
        for (std::size_t first = begin; first < end; first += atOnce) {
            const std::size_t some = std::min(atOnce, end - first);
            for (std::size_t i = 0; i < some; ++i) places[i] = placeOf(first + i);
            surface.find({places.data(), some}, hint, {closest.data(), some});
            hint = closest[some - 1].triangle;
            for (std::size_t i = 0; i < some; ++i) take(first + i, places[i], closest[i]);
        }
        progress.at(double(done += end - begin) / double(count));
    });
}

}  // namespace um
