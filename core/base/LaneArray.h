#pragma once
/// Eight floats side by side in memory, for SIMD operations (Lanes.h).
#include <array>
#include <cstddef>

namespace um {

constexpr std::size_t laneCount = 8;

struct alignas(32) LaneArray {
    std::array<float, laneCount> values;

    float& operator[](std::size_t i) { return values[i]; }
    float operator[](std::size_t i) const { return values[i]; }
};

}  // namespace um
