#pragma once
/// A spatial sort: neighbours in space become neighbours in memory.
#include "base/Progress.h"

#include <array>
#include <cstdint>
#include <span>

namespace um {

/// An item with its place. A plain struct, so that it is moved as a whole.
struct alignas(16) Placed {
    std::array<float, 3> place;
    std::uint32_t id;
};

/// The fan-out of the tree that the order makes: items of a leaf, children of a node.
constexpr std::size_t runLength = 8;

/// Orders items so that each run of eight lies close together, and each eight such runs, and so on: leaves and nodes of
/// a tree of which all but the last of each kind are full. They are cut in two across the way in which they reach
/// farthest until a run is left. The order is the same for any number of threads.
/// @param items  at finite places
/// @throws Cancelled
/// Source: Bentley 1975, CACM 18(9): k-d trees; Floyd & Rivest 1975, CACM 18(3): which are the smaller half.
void orderByPlace(std::span<Placed> items, const Progress& progress);

}  // namespace um
