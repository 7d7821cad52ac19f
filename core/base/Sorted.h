#pragma once
/// Sorted lists.
#include <algorithm>
#include <vector>

namespace um {

/// Sorts, and keeps one of each.
template <class T>
void sortUnique(std::vector<T>& values) {
    std::sort(values.begin(), values.end());
    values.erase(std::unique(values.begin(), values.end()), values.end());
}

}  // namespace um
