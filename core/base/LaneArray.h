#pragma once
/// Eight numbers that lie side by side, so that they can be reckoned with at once (Lanes.h).
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
