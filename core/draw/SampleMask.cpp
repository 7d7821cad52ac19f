#include "draw/SampleMask.h"

#include <bit>
#include <cmath>
#include <utility>

namespace um {

namespace {

// Beyond any picture, and within what an int can hold.
constexpr float farBeyond = 1e6f;

// The first sample whose centre is not before x, and the last that is not beyond it. Rounding by truncation: a call for
// each would be a good part of the time.
int firstCentre(float x) {
    const float from = std::clamp(x, -farBeyond, farBeyond) - 0.5f;
    const int whole = int(from);
    return whole + (float(whole) < from ? 1 : 0);
}

int lastCentre(float x) {
    const float to = std::clamp(x, -farBeyond, farBeyond) - 0.5f;
    const int whole = int(to);
    return whole - (float(whole) > to ? 1 : 0);
}

// Bits first … last of a word.
std::uint64_t bits(int first, int last) {
    return (~std::uint64_t(0) >> (63 - (last - first))) << first;
}

}  // namespace

SampleMask::SampleMask(int width, int height)
    : m_width(width),
      m_height(height),
      m_wordsPerRow((width + 63) / 64),
      m_words(std::size_t(m_wordsPerRow) * std::size_t(height), 0) {}

bool SampleMask::isFull(int y, int first, int last) const {
    const std::uint64_t* words = row(y).data();
    const int begin = first / 64, end = last / 64;
    if (begin == end) return (~words[begin] & bits(first % 64, last % 64)) == 0;
    return end == begin + 1 && (~words[begin] & bits(first % 64, 63)) == 0 && (~words[end] & bits(0, last % 64)) == 0;
}

void SampleMask::setRun(int y, int first, int last) {
    std::uint64_t* words = row(y).data();
    const int begin = first / 64, end = last / 64;
    if (begin == end) {
        words[begin] |= bits(first % 64, last % 64);
        return;
    }
    words[begin] |= bits(first % 64, 63);
    for (int word = begin + 1; word < end; ++word) words[word] = ~std::uint64_t(0);
    words[end] |= bits(0, last % 64);
}

void SampleMask::cover(const Vec2f& a, const Vec2f& b, const Vec2f& c) {
    const int top = std::max(0, firstCentre(std::min({a.y(), b.y(), c.y()})));
    const int bottom = std::min(m_height - 1, lastCentre(std::max({a.y(), b.y(), c.y()})));
    if (top > bottom) return;
    const int left = std::max(0, firstCentre(std::min({a.x(), b.x(), c.x()})));
    const int right = std::min(m_width - 1, lastCentre(std::max({a.x(), b.x(), c.x()})));
    if (left > right) return;
    // Most triangles of a dense mesh lie where another has been: they need not be walked.
    bool isFullAlready = bottom - top < 8;
    for (int y = top; y <= bottom && isFullAlready; ++y) isFullAlready = isFull(y, left, right);
    if (isFullAlready) return;
    const Vec2f *low = &a, *middle = &b, *high = &c;
    if (low->y() > middle->y()) std::swap(low, middle);
    if (middle->y() > high->y()) std::swap(middle, high);
    if (low->y() > middle->y()) std::swap(low, middle);
    // Always from the lower end to the higher, so that two triangles see their common edge at the same place.
    const auto crossing = [](const Vec2f& from, const Vec2f& to, float y) {
        const float rise = to.y() - from.y();
        return rise > 0 ? from.x() + (y - from.y()) / rise * (to.x() - from.x()) : from.x();
    };
    for (int y = top; y <= bottom; ++y) {
        const float centre = float(y) + 0.5f;
        const float x = crossing(*low, *high, centre);
        const float other = centre <= middle->y() ? crossing(*low, *middle, centre) : crossing(*middle, *high, centre);
        const int first = std::max(left, firstCentre(std::min(x, other)));
        const int last = std::min(right, lastCentre(std::max(x, other)));
        if (first <= last) setRun(y, first, last);
    }
}

void SampleMask::cover(const std::vector<Triangle>& triangles, const std::vector<Vec2f>& places) {
    for (const Triangle& t : triangles) cover(places[t[0]], places[t[1]], places[t[2]]);
}

void SampleMask::unite(const SampleMask& other) {
    for (std::size_t i = 0; i < m_words.size(); ++i) m_words[i] |= other.m_words[i];
}

std::size_t SampleMask::count() const {
    std::size_t sum = 0;
    for (const std::uint64_t word : m_words) sum += std::size_t(std::popcount(word));
    return sum;
}

SampleMask SampleMask::outline() const {
    SampleMask result(m_width, m_height);
    const std::vector<std::uint64_t> nothing(std::size_t(m_wordsPerRow), 0);
    for (int y = 0; y < m_height; ++y) {
        const auto here = row(y);
        const std::uint64_t* above = y > 0 ? row(y - 1).data() : nothing.data();
        const std::uint64_t* below = y + 1 < m_height ? row(y + 1).data() : nothing.data();
        const auto to = result.row(y);
        for (std::size_t i = 0; i < here.size(); ++i) {
            const std::uint64_t fromLeft = here[i] << 1 | (i > 0 ? here[i - 1] >> 63 : 0);
            const std::uint64_t fromRight = here[i] >> 1 | (i + 1 < here.size() ? here[i + 1] << 63 : 0);
            to[i] = here[i] & ~(fromLeft & fromRight & above[i] & below[i]);
        }
    }
    return result;
}

double SampleMask::distanceToNearest(int x, int y, double most) const {
    double best = most * most;
    const auto lookInRow = [&](int at, double dy) {
        const auto words = row(at);
        const auto take = [&](int found) {
            const double dx = double(found) - double(x);
            best = std::min(best, dx * dx + dy * dy);
        };
        // No further sideways than could still be nearer.
        const double reach = std::sqrt(std::max(0.0, best - dy * dy));
        const int leftEnd = std::max(0, int(std::floor(double(x) - reach)) / 64);
        const int rightEnd = std::min(m_wordsPerRow - 1, int(std::ceil(double(x) + reach)) / 64);
        const int own = x / 64;
        const std::uint64_t toRight = words[std::size_t(own)] & bits(x % 64, 63);
        const std::uint64_t toLeft = words[std::size_t(own)] & bits(0, x % 64);
        if (toRight != 0)
            take(own * 64 + std::countr_zero(toRight));
        else
            for (int i = own + 1; i <= rightEnd; ++i)
                if (words[std::size_t(i)] != 0) {
                    take(i * 64 + std::countr_zero(words[std::size_t(i)]));
                    break;
                }
        if (toLeft != 0)
            take(own * 64 + 63 - std::countl_zero(toLeft));
        else
            for (int i = own - 1; i >= leftEnd; --i)
                if (words[std::size_t(i)] != 0) {
                    take(i * 64 + 63 - std::countl_zero(words[std::size_t(i)]));
                    break;
                }
    };
    for (int dy = 0; double(dy) * dy < best; ++dy) {
        if (y - dy >= 0) lookInRow(y - dy, dy);
        if (dy > 0 && y + dy < m_height) lookInRow(y + dy, dy);
        if (y - dy < 0 && y + dy >= m_height) break;
    }
    return std::sqrt(best);
}

SampleMask difference(const SampleMask& a, const SampleMask& b) {
    SampleMask result = a;
    for (int y = 0; y < a.height(); ++y) {
        const auto without = b.row(y);
        const auto row = result.row(y);
        for (std::size_t i = 0; i < row.size(); ++i) row[i] &= ~without[i];
    }
    return result;
}

}  // namespace um
