#pragma once
/// Lists of items by group, in one flat array.
#include <cstddef>
#include <cstdint>
#include <span>
#include <vector>

namespace um {

/// The items of each group, ascending, in one flat array.
struct Groups {
    std::vector<std::uint32_t> offsets;  ///< one more than there are groups
    std::vector<std::uint32_t> items;

    std::size_t count() const { return offsets.empty() ? 0 : offsets.size() - 1; }

    std::span<const std::uint32_t> of(std::size_t group) const {
        return {items.data() + offsets[group], items.data() + offsets[group + 1]};
    }
};

}  // namespace um
