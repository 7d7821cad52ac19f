#include "mesh/SpatialOrder.h"

#include <oneapi/tbb/parallel_invoke.h>

#include <algorithm>

namespace um {
namespace {

// More than these are cut by two threads.
constexpr std::size_t fewForOneThread = 1 << 14;

// Of no more than these it is quicker to compare each with each.
constexpr std::size_t few = 128;

// Some of the items, by which the others are judged.
struct KeySample {
    static constexpr std::size_t size = 48;
    std::array<std::array<float, size>, 3> along;
};

KeySample sampleOf(const Placed* begin, const Placed* end) {
    KeySample sample;
    const auto count = std::size_t(end - begin);
    for (std::size_t i = 0; i < KeySample::size; ++i) {
        const Placed& item = begin[(2 * i + 1) * count / (2 * KeySample::size)];
        for (std::size_t axis = 0; axis < 3; ++axis) sample.along[axis][i] = item.place[axis];
    }
    return sample;
}

std::size_t longestAxis(const std::array<float, 3>& low, const std::array<float, 3>& high) {
    std::size_t longest = 0;
    for (std::size_t axis = 1; axis < 3; ++axis)
        if (high[axis] - low[axis] > high[longest] - low[longest]) longest = axis;
    return longest;
}

// Moves those that satisfy `isFirst` to the front; returns the first of the others. Written whether moved or not: there
// is no telling beforehand, so a branch would cost more.
template <class IsFirst>
Placed* bringForward(Placed* begin, Placed* end, const IsFirst& isFirst) {
    Placed* next = begin;
    for (Placed* item = begin; item != end; ++item) {
        const Placed own = *item;
        *item = *next;
        *next = own;
        next += isFirst(own) ? 1 : 0;
    }
    return next;
}

#ifdef __x86_64__
[[gnu::target_clones("avx2", "default")]]
#endif
void countSmaller(const float* keys, std::size_t count, std::uint32_t* ranks) {
    for (std::size_t i = 0; i < count; ++i) {
        const float own = keys[i];
        std::uint32_t rank = 0;
        for (std::size_t j = 0; j < count; ++j) rank += keys[j] < own ? 1u : 0u;
        ranks[i] = rank;
    }
}

// As `divideAt`, of no more than `few`.
void divideFew(Placed* begin, std::size_t middle, std::size_t count) {
    std::array<float, 3> low = begin->place, high = low;
    for (std::size_t i = 1; i < count; ++i)
        for (std::size_t axis = 0; axis < 3; ++axis) {
            low[axis] = std::min(low[axis], begin[i].place[axis]);
            high[axis] = std::max(high[axis], begin[i].place[axis]);
        }
    const std::size_t axis = longestAxis(low, high);
    std::array<Placed, few> items;
    std::array<float, few> keys{};
    std::array<std::uint32_t, few> ranks;
    for (std::size_t i = 0; i < count; ++i) {
        items[i] = begin[i];
        keys[i] = begin[i].place[axis];
    }
    countSmaller(keys.data(), count, ranks.data());
    // The last that go to the front may be several alike, of which the first do.
    std::uint32_t last = 0;
    for (std::size_t i = 0; i < count; ++i) last = std::max(last, ranks[i] < middle ? ranks[i] : 0);
    std::uint32_t alike = last;
    // Counted up without a branch: there is no telling beforehand.
    std::array<std::size_t, 2> next = {middle, 0};
    for (std::size_t i = 0; i < count; ++i) {
        const bool isLast = ranks[i] == last;
        const bool isFront = (ranks[i] < last) | (isLast & (alike < middle));
        alike += isLast ? 1 : 0;
        begin[next[isFront ? 1 : 0]++] = items[i];
    }
}

// Puts the smallest along the longest axis before `middle`, as std::nth_element does, several times as quick.
void divideAt(Placed* begin, Placed* middle, Placed* end) {
    const KeySample first = sampleOf(begin, end);
    std::array<float, 3> least, most;
    for (std::size_t axis = 0; axis < 3; ++axis) {
        least[axis] = std::ranges::min(first.along[axis]);
        most[axis] = std::ranges::max(first.along[axis]);
    }
    const std::size_t axis = longestAxis(least, most);
    // Guesses that are far out again and again are the sign of an odd order.
    for (int guesses = 0; std::size_t(end - begin) > few && guesses < 16; ++guesses) {
        std::array<float, KeySample::size> values = guesses == 0 ? first.along[axis] : sampleOf(begin, end).along[axis];
        constexpr std::size_t slack = 4;
        const std::size_t rank = std::size_t(middle - begin) * KeySample::size / std::size_t(end - begin);
        const auto low = values.begin() + long(rank > slack ? rank - slack : 0);
        const auto high = values.begin() + long(std::min(rank + slack, KeySample::size - 1));
        std::nth_element(values.begin(), low, values.end());
        std::nth_element(low, high, values.end());
        const float lowest = *low, highest = *high;
        Placed* const inner = bringForward(begin, end, [&](const Placed& item) { return item.place[axis] < lowest; });
        if (middle < inner) {
            end = inner;
            continue;
        }
        begin = inner;
        Placed* const outer = bringForward(inner, end, [&](const Placed& item) { return item.place[axis] <= highest; });
        if (middle < outer) {
            if (lowest == highest) return;
            end = outer;
        } else
            begin = outer;
    }
    std::nth_element(begin, middle, end,
                     [&](const Placed& a, const Placed& b) { return a.place[axis] < b.place[axis]; });
}

// @param unit  of how many each part but the last one consists
void order(Placed* begin, Placed* end, std::size_t unit, const Progress& progress) {
    const auto count = std::size_t(end - begin);
    const std::size_t units = (count + unit - 1) / unit;
    if (units < 2) {
        if (unit > runLength) order(begin, end, unit / runLength, progress);
        return;
    }
    Placed* const middle = begin + units / 2 * unit;
    if (count <= few)
        divideFew(begin, std::size_t(middle - begin), count);
    else
        divideAt(begin, middle, end);
    if (count > fewForOneThread) {
        progress.check();
        tbb::parallel_invoke([&] { order(begin, middle, unit, progress); },
                             [&] { order(middle, end, unit, progress); });
    } else {
        order(begin, middle, unit, progress);
        order(middle, end, unit, progress);
    }
}

}  // namespace

void orderByPlace(std::span<Placed> items, const Progress& progress) {
    std::size_t unit = runLength;
    while (unit * runLength < items.size()) unit *= runLength;
    if (!items.empty()) order(items.data(), items.data() + items.size(), unit, progress);
}

}  // namespace um
