#include "demo/Noise.h"

#include <algorithm>
#include <cmath>

namespace um::demo {
namespace {

std::uint32_t hash(std::int32_t x, std::int32_t y, std::int32_t z, std::uint32_t seed) {
    std::uint32_t h = seed * 0x9e3779b1u + std::uint32_t(x) * 0x85ebca6bu;
    h = (h ^ (h >> 15)) + std::uint32_t(y) * 0xc2b2ae35u;
    h = (h ^ (h >> 13)) * 0x27d4eb2fu + std::uint32_t(z) * 0x165667b1u;
    h = (h ^ (h >> 15)) * 0x2c1b3c6du;
    return h ^ (h >> 13);
}

double fade(double t) {
    return t * t * t * (t * (t * 6 - 15) + 10);
}

// One of the twelve directions to the middles of a cube's edges.
double slope(std::uint32_t h, double x, double y, double z) {
    const std::uint32_t k = h & 15;
    const double u = k < 8 ? x : y;
    const double v = k < 4 ? y : (k == 12 || k == 14) ? x : z;
    return ((k & 1) != 0 ? -u : u) + ((k & 2) != 0 ? -v : v);
}

}  // namespace

double noise(const Vec3d& p, std::uint32_t seed) {
    const double fx = std::floor(p.x()), fy = std::floor(p.y()), fz = std::floor(p.z());
    const auto ix = std::int32_t(fx), iy = std::int32_t(fy), iz = std::int32_t(fz);
    const double x = p.x() - fx, y = p.y() - fy, z = p.z() - fz;
    const double u = fade(x), v = fade(y), w = fade(z);
    const auto corner = [&](int dx, int dy, int dz) {
        return slope(hash(ix + dx, iy + dy, iz + dz, seed), x - dx, y - dy, z - dz);
    };
    const auto mix = [](double a, double b, double t) { return a + t * (b - a); };
    return mix(mix(mix(corner(0, 0, 0), corner(1, 0, 0), u), mix(corner(0, 1, 0), corner(1, 1, 0), u), v),
               mix(mix(corner(0, 0, 1), corner(1, 0, 1), u), mix(corner(0, 1, 1), corner(1, 1, 1), u), v), w);
}

double fractalNoise(Vec3d p, int octaves, std::uint32_t seed) {
    double sum = 0;
    double strength = 1;
    for (int i = 0; i < octaves; ++i) {
        sum += strength * noise(p, seed + std::uint32_t(i));
        strength /= 2;
        p *= 2.03;  // not quite 2, so that the grids of the octaves do not line up
    }
    return sum;
}

double random(std::uint32_t seed, std::uint32_t index) {
    return double(mixBits(std::uint64_t(seed) << 32 | index) >> 11) / double(1ULL << 53);
}

double smoothStep(double from, double to, double x) {
    const double t = std::clamp((x - from) / (to - from), 0.0, 1.0);
    return t * t * (3 - 2 * t);
}

}  // namespace um::demo
