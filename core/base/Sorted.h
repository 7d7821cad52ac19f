#pragma once
/// Sorting without duplicates.
#include <algorithm>
#include <vector>

namespace um {

/// Sorts the list and removes duplicates.
template <class T>
void sortUnique(std::vector<T>& values) {
    std::sort(values.begin(), values.end());
    values.erase(std::unique(values.begin(), values.end()), values.end());
}

}  // namespace um
