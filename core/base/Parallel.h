#pragma once
/// Parallel loops whose results do not depend on the number of threads: work is divided into fixed chunks, and sums are
/// added in the order of the chunks.
#include "base/Groups.h"
#include "base/RawVector.h"

#include <algorithm>
#include <atomic>
#include <cstddef>
#include <vector>

namespace um {

/// A type-erased loop body: the scheduler's templates are compiled once instead of at each loop.
struct LoopBody {
    const void* body;
    void (*call)(const void* body, std::size_t begin, std::size_t end);
};

/// Calls the body on all threads, for ranges of at least `grain` / 2 that together cover 0 … count - 1.
void runRanges(std::size_t count, std::size_t grain, LoopBody body);

/// Calls `body(begin, end)` for ranges that together cover 0 … count; ranges differ with the number of threads.
template <class Body>
void parallelRanges(std::size_t count, const Body& body, std::size_t grain = 4096) {
    runRanges(count, grain, {&body, [](const void* erased, std::size_t begin, std::size_t end) {
                                 (*static_cast<const Body*>(erased))(begin, end);
                             }});
}

/// Calls `body(i)` for i = 0 … count.
template <class Body>
void parallelFor(std::size_t count, const Body& body, std::size_t grain = 4096) {
    parallelRanges(
        count,
        [&](std::size_t begin, std::size_t end) {
            for (std::size_t i = begin; i < end; ++i) body(i);
        },
        grain);
}

/// How many chunks of `chunkSize` cover `count`.
inline std::size_t chunkCount(std::size_t count, std::size_t chunkSize) {
    return (count + chunkSize - 1) / chunkSize;
}

/// Calls `body(chunk, begin, end)` for the chunks of fixed size that cover 0 … count.
template <class Body>
void parallelChunks(std::size_t count, std::size_t chunkSize, const Body& body) {
    parallelFor(
        chunkCount(count, chunkSize),
        [&](std::size_t chunk) { body(chunk, chunk * chunkSize, std::min(count, (chunk + 1) * chunkSize)); }, 1);
}

/// Replaces each value by the sum of those before it; returns the sum of all.
template <class T>
T exclusivePrefixSum(std::vector<T>& values) {
    T sum = 0;
    for (T& value : values) {
        const T own = value;
        value = sum;
        sum += own;
    }
    return sum;
}

/// The indices below `count` that satisfy `keep`, ascending.
template <class Keep>
std::vector<std::uint32_t> parallelIndices(std::size_t count, const Keep& keep) {
    constexpr std::size_t chunkSize = 1 << 15;
    // Every index is written, and overwritten if it is not kept: a branch would be mispredicted and cost more.
    RawVector<std::uint32_t> found(count);
    std::vector<std::size_t> offsets(chunkCount(count, chunkSize));
    parallelChunks(count, chunkSize, [&](std::size_t chunk, std::size_t begin, std::size_t end) {
        std::size_t at = begin;
        for (std::size_t i = begin; i < end; ++i) {
            found[at] = std::uint32_t(i);
            at += keep(i) ? 1 : 0;
        }
        offsets[chunk] = at - begin;
    });
    std::vector<std::size_t> counts = offsets;
    std::vector<std::uint32_t> result(exclusivePrefixSum(offsets));
    parallelChunks(count, chunkSize, [&](std::size_t chunk, std::size_t begin, std::size_t) {
        std::copy_n(found.begin() + long(begin), counts[chunk], result.begin() + long(offsets[chunk]));
    });
    return result;
}

/// The elements at those indices.
template <class T>
std::vector<T> gathered(const std::vector<T>& values, const std::vector<std::uint32_t>& indices) {
    std::vector<T> result(indices.size());
    parallelFor(indices.size(), [&](std::size_t i) { result[i] = values[indices[i]]; });
    return result;
}

/// Keeps the elements whose index satisfies `keep`, in their order.
template <class T, class Keep>
std::vector<T> parallelFilter(const std::vector<T>& values, const Keep& keep) {
    return gathered(values, parallelIndices(values.size(), keep));
}

/// Finds the items of each group.
/// @param forGroups  called as forGroups(item, visit): calls visit(group) for each group that the item belongs to
template <class ForGroups>
Groups groupItems(std::size_t itemCount, std::size_t groupCount, const ForGroups& forGroups) {
    Groups groups;
    groups.offsets.assign(groupCount + 1, 0);
    parallelFor(itemCount, [&](std::size_t i) {
        forGroups(i, [&](std::size_t group) {
            std::atomic_ref(groups.offsets[group]).fetch_add(1, std::memory_order_relaxed);
        });
    });
    groups.items.resize(exclusivePrefixSum(groups.offsets));
    std::vector<std::uint32_t> next(groups.offsets.begin(), groups.offsets.end() - 1);
    parallelFor(itemCount, [&](std::size_t i) {
        forGroups(i, [&](std::size_t group) {
            groups.items[std::atomic_ref(next[group]).fetch_add(1, std::memory_order_relaxed)] = std::uint32_t(i);
        });
    });
    // Threads fill the lists in any order; sorting the short lists makes them the same every time.
    parallelFor(groupCount, [&](std::size_t group) {
        std::sort(groups.items.begin() + groups.offsets[group], groups.items.begin() + groups.offsets[group + 1]);
    });
    return groups;
}

}  // namespace um
