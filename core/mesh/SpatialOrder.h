#pragma once
/// An order in which neighbours in space stand together.
#include "base/Progress.h"

#include <array>
#include <cstdint>
#include <span>

namespace um {

/// One of many things in space. Plain numbers, so that it is moved as a whole.
struct alignas(16) Placed {
    std::array<float, 3> place;
    std::uint32_t id;
};

/// How many are the leaves and the nodes of the tree that the order makes.
constexpr std::size_t runLength = 8;

/// Orders items so that each run of eight lies close together, and each eight such runs, and so on: leaves and nodes of
/// a tree of which all but the last of each kind are full. They are cut in two across the way in which they reach
/// farthest until a run is left. The order is the same for any number of threads.
/// @param items  at finite places
/// @throws Cancelled
/// Source: Bentley 1975, CACM 18(9): k-d trees; Floyd & Rivest 1975, CACM 18(3): which are the smaller half.
void orderByPlace(std::span<Placed> items, const Progress& progress);

}  // namespace um
