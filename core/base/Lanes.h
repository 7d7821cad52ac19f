#pragma once
/// SIMD vectors of eight floats, for loops that the compiler does not vectorise by itself. To be used in functions that
/// are also compiled for wide registers (target_clones).
#include "base/LaneArray.h"

#include <cstdint>
#include <cstring>

#ifdef __x86_64__
#include <xmmintrin.h>
#endif

// The warning says that passing such vectors to a function depends on the processor. All functions here are inlined.
#pragma GCC diagnostic ignored "-Wpsabi"

namespace um {

using Lanes [[gnu::vector_size(32)]] = float;

[[gnu::always_inline]] inline Lanes lanesOf(const LaneArray& array) {
    Lanes lanes;
    std::memcpy(&lanes, &array, sizeof lanes);
    return lanes;
}

[[gnu::always_inline]] inline LaneArray arrayOf(const Lanes& lanes) {
    LaneArray array;
    std::memcpy(&array, &lanes, sizeof array);
    return array;
}

[[gnu::always_inline]] inline Lanes smaller(const Lanes& a, const Lanes& b) {
    return a < b ? a : b;
}
[[gnu::always_inline]] inline Lanes larger(const Lanes& a, const Lanes& b) {
    return a > b ? a : b;
}

[[gnu::always_inline]] inline Lanes between0And1(const Lanes& a) {
    return smaller(larger(a, Lanes{}), Lanes{} + 1.0f);
}

[[gnu::always_inline]] inline float smallestOf(const Lanes& lanes) {
    Lanes least = smaller(lanes, __builtin_shufflevector(lanes, lanes, 4, 5, 6, 7, 0, 1, 2, 3));
    least = smaller(least, __builtin_shufflevector(least, least, 2, 3, 0, 1, 6, 7, 4, 5));
    least = smaller(least, __builtin_shufflevector(least, least, 1, 0, 3, 2, 5, 4, 7, 6));
    return least[0];
}

[[gnu::always_inline]] inline float largestOf(const Lanes& lanes) {
    return -smallestOf(-lanes);
}

/// A bit mask of the lanes in which a <= b.
[[gnu::always_inline]] inline std::uint32_t bitsOfSmaller(const Lanes& a, const Lanes& b) {
    const auto isSmaller = a <= b;
#ifdef __x86_64__
    __m128 halves[2];
    std::memcpy(halves, &isSmaller, sizeof halves);
    return std::uint32_t(_mm_movemask_ps(halves[0])) | std::uint32_t(_mm_movemask_ps(halves[1])) << 4;
#else
    std::uint32_t bits = 0;
    for (std::size_t i = 0; i < laneCount; ++i) bits |= std::uint32_t(isSmaller[i] & 1) << i;
    return bits;
#endif
}

}  // namespace um
