#include "draw/SampleMask.h"

#include <bit>
#include <cmath>
#include <utility>

namespace um {

namespace {

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
