#pragma once
/// Planning a chain: number, counts and switch distances of its levels, for small visible error and few wasted
/// triangles.
#include "chain/ErrorCurve.h"
#include "chain/Recipe.h"

namespace um {

struct PlannedLevel {
    std::size_t triangles = 0;
    double from = 0;   ///< metres
    double error = 0;  ///< metres, estimated by the curve
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

/// Rounded up to three digits, the precision of a plan.
std::size_t roundedUp(double triangles);

/// The height in pixels below which a shape is not recognisable.
constexpr double smallestUseful = 10;

/// Advice on an existing chain: useless levels and wasted triangles, a sentence each.
/// @param names      of the levels
/// @param triangles  of each
std::vector<std::string> adviceOn(const std::vector<std::string>& names, const std::vector<std::size_t>& triangles,
                                  const std::vector<LevelCost>& costs, const Band& band, const AssetSize& asset,
                                  std::size_t sourceTriangles, const Screen& screen, const Switching& switching);

}  // namespace um
