#include "bench/PlainRays.h"

#include "base/Parallel.h"

#include <embree3/rtcore.h>

#include <atomic>
#include <chrono>

namespace um::bench {

double secondsOfPlainRays(const Mesh& target, const Mesh& from, std::size_t count) {
    const auto begin = std::chrono::steady_clock::now();
    RTCDevice device = rtcNewDevice(nullptr);
    RTCScene scene = rtcNewScene(device);
    RTCGeometry geometry = rtcNewGeometry(device, RTC_GEOMETRY_TYPE_TRIANGLE);
    auto* places = static_cast<float*>(
        rtcSetNewGeometryBuffer(geometry, RTC_BUFFER_TYPE_VERTEX, 0, RTC_FORMAT_FLOAT3, 12, target.vertexCount()));
    std::copy_n(target.positions.front().data(), 3 * target.vertexCount(), places);
    rtcSetSharedGeometryBuffer(geometry, RTC_BUFFER_TYPE_INDEX, 0, RTC_FORMAT_UINT3, target.triangles.data(), 0, 12,
                               target.triangleCount());
    rtcCommitGeometry(geometry);
    rtcAttachGeometry(scene, geometry);
    rtcReleaseGeometry(geometry);
    rtcCommitScene(scene);
    const auto depth = float(diagonal(target) * 0.01);
    const std::size_t each = count / (2 * from.triangleCount()) + 1;
    std::atomic<std::size_t> hits = 0;
    parallelRanges(
        from.triangleCount(),
        [&](std::size_t first, std::size_t last) {
            std::size_t found = 0;
            for (std::size_t t = first; t < last; ++t) {
                const auto corner = [&](std::size_t k) { return from.positions[from.triangles[t][k]]; };
                const Vec3f normal = (corner(1) - corner(0)).cross(corner(2) - corner(0)).normalized();
                for (std::size_t i = 0; i < each; ++i) {
                    const auto a = float((i * 0.7548776662) - std::floor(i * 0.7548776662));
                    const auto b = float((i * 0.5698402910) - std::floor(i * 0.5698402910)) * (1 - a);
                    const Vec3f place = corner(0) + a * (corner(1) - corner(0)) + b * (corner(2) - corner(0));
                    for (const float side : {1.0f, -1.0f}) {
                        RTCRayHit ray{};
                        ray.ray.org_x = place.x();
                        ray.ray.org_y = place.y();
                        ray.ray.org_z = place.z();
                        ray.ray.dir_x = side * normal.x();
                        ray.ray.dir_y = side * normal.y();
                        ray.ray.dir_z = side * normal.z();
                        ray.ray.tfar = depth;
                        ray.ray.mask = ~0u;
                        ray.hit.geomID = RTC_INVALID_GEOMETRY_ID;
                        RTCIntersectContext context;
                        rtcInitIntersectContext(&context);
                        rtcIntersect1(scene, &context, &ray);
                        found += ray.hit.geomID != RTC_INVALID_GEOMETRY_ID ? 1 : 0;
                    }
                }
            }
            hits += found;
        },
        64);
    rtcReleaseScene(scene);
    rtcReleaseDevice(device);
    // Asked for, so that no ray is left out as useless.
    return hits > 0 ? std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count() : 0;
}

}  // namespace um::bench
