#pragma once
/// Finding a chain: how many levels, of which counts, coming in where; so that what the eye could notice and what the
/// graphics card would waste both stay small.
#include "chain/ErrorCurve.h"
#include "chain/Recipe.h"

namespace um {

struct PlannedLevel {
    std::size_t triangles = 0;
    double from = 0;   ///< metres
    double error = 0;  ///< metres, as far as the curve tells
};

struct Plan {
    std::vector<PlannedLevel> levels;
    std::vector<std::string> advice;  ///< a sentence each
};

/// Levels spread evenly over the logarithm of distance, from where the asset is seen nearest to where it is gone (or
/// only `smallestUseful` pixels tall): the fewest levels of which none falls under the floor of pixels for a triangle
/// before the next one comes in, if so many are allowed. Each has as few triangles as its error allows there. Levels
/// that would save less than the step asks for are left out, and the finest gives way where the total is too much.
Plan planFrom(const ErrorCurve& curve, const AssetSize& asset, double facingShare, const PlanSettings& settings,
              const Screen& screen, const Switching& switching);

/// Rounded up to three digits, which is as much as a plan can know.
std::size_t roundedUp(double triangles);

/// Below this height in pixels a shape is but a blot.
constexpr double smallestUseful = 10;

/// What not to ship and what is wasted in a chain that is there, a sentence each.
/// @param names      of the levels
/// @param triangles  of each
std::vector<std::string> adviceOn(const std::vector<std::string>& names, const std::vector<std::size_t>& triangles,
                                  const std::vector<LevelCost>& costs, const Band& band, const AssetSize& asset,
                                  std::size_t sourceTriangles, const Screen& screen, const Switching& switching);

}  // namespace um
