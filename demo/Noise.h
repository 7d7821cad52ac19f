#pragma once
/// Repeatable noise in space.
#include "base/Math.h"

namespace um::demo {

/// Smooth gradient noise, about -1 to 1, with features of about one unit.
/// Source: Perlin 2002, SIGGRAPH: improving noise.
double noise(const Vec3d& p, std::uint32_t seed = 0);

/// A sum of `octaves` noises, each twice as fine and half as strong.
double fractalNoise(Vec3d p, int octaves, std::uint32_t seed = 0);

/// An evenly spread number from 0 to 1 for each (seed, index).
double random(std::uint32_t seed, std::uint32_t index);

/// 0 below `from`, 1 above `to`, smooth between.
double smoothStep(double from, double to, double x);

}  // namespace um::demo
