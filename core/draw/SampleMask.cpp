#include "draw/SampleMask.h"

#include "base/Math.h"

#include <algorithm>
#include <array>
#include <bit>
#include <cmath>
#include <limits>
#include <utility>

namespace um {

namespace {

// Bits first … last of a word.
std::uint64_t bits(int first, int last) {
    return (~std::uint64_t(0) >> (63 - (last - first))) << first;
}

// Most words lie wholly inside or outside.
std::size_t countBits(std::uint64_t word) {
    if (word == 0) return 0;
    return ~word == 0 ? 64 : std::size_t(std::popcount(word));
}

// What is known of the distances of one sample in each square of a picture: none of the others in it is farther than
// that and the way to it.
class Squares {
public:
    Squares(const SampleMask& picture, int width)
        : m_width(width),
          m_across((picture.width() + width - 1) / width),
          m_known(std::size_t(m_across) * std::size_t((picture.height() + width - 1) / width)) {}

    bool knows(int x, int y) const { return at(x, y).distance >= 0; }

    double bound(int x, int y) const {
        const Known& known = at(x, y);
        if (known.distance < 0) return std::numeric_limits<double>::infinity();
        const double dx = known.x - x, dy = known.y - y;
        return known.distance + std::sqrt(dx * dx + dy * dy);
    }

    void know(int x, int y, double distance) { m_known[numberOf(x, y)] = {x, y, distance}; }

private:
    struct Known {
        int x = 0, y = 0;
        double distance = -1;
    };

    std::size_t numberOf(int x, int y) const {
        return std::size_t(y / m_width) * std::size_t(m_across) + std::size_t(x / m_width);
    }
    const Known& at(int x, int y) const { return m_known[numberOf(x, y)]; }

    int m_width, m_across;
    std::vector<Known> m_known;
};

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
    for (const std::uint64_t word : m_words) sum += countBits(word);
    return sum;
}

double SampleMask::outlineLength() const {
    const std::vector<std::uint64_t> nothing(std::size_t(m_wordsPerRow), 0);
    std::size_t straight = 0, slanting = 0;
    for (int y = 0; y <= m_height; ++y) {
        const std::uint64_t* here = y < m_height ? row(y).data() : nothing.data();
        const std::uint64_t* above = y > 0 ? row(y - 1).data() : nothing.data();
        // One word more, for the right neighbours of the last samples.
        std::uint64_t hereBefore = 0, aboveBefore = 0;
        for (int i = 0; i <= m_wordsPerRow; ++i) {
            const std::uint64_t own = i < m_wordsPerRow ? here[i] : 0, over = i < m_wordsPerRow ? above[i] : 0;
            const std::uint64_t left = own << 1 | hereBefore >> 63, overLeft = over << 1 | aboveBefore >> 63;
            straight += countBits(own ^ left) + countBits(own ^ over);
            slanting += countBits(own ^ overLeft) + countBits(left ^ over);
            hereBefore = own;
            aboveBefore = over;
        }
    }
    return pi / 8 * (double(straight) + double(slanting) / std::sqrt(2.0));
}

double SampleMask::distanceToNearest(int x, int y, double most) const {
    double best = most * most;
    const auto lookInRow = [&](int at, double dy, int mostWords) {
        const auto words = row(at);
        const auto take = [&](int found) {
            const double dx = double(found) - double(x);
            best = std::min(best, dx * dx + dy * dy);
        };
        // No further sideways than could still be nearer.
        const double reach = std::sqrt(std::max(0.0, best - dy * dy));
        const int own = x / 64;
        const int leftEnd = std::max({0, int(std::floor(double(x) - reach)) / 64, own - mostWords});
        const int rightEnd = std::min({m_wordsPerRow - 1, int(std::ceil(double(x) + reach)) / 64, own + mostWords});
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
    const auto lookAround = [&](int mostRows, int mostWords) {
        for (int dy = 0; dy < mostRows && double(dy) * dy < best; ++dy) {
            if (y - dy >= 0) lookInRow(y - dy, dy, mostWords);
            if (dy > 0 && y + dy < m_height) lookInRow(y + dy, dy, mostWords);
            if (y - dy < 0 && y + dy >= m_height) break;
        }
    };
    // Nearby first: else the first row would often be searched from end to end.
    lookAround(16, 0);
    lookAround(m_height, m_wordsPerRow);
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

double farthestFrom(const SampleMask& from, const SampleMask& samples, double most) {
    if (from.count() == 0) return samples.count() > 0 ? most : 0;
    double farthest = 0;
    // In ever smaller squares, so that in large areas few samples need to be looked at; at last all that are left.
    std::array<Squares, 2> known = {Squares(samples, 64), Squares(samples, 8)};
    for (std::size_t pass = 0; pass <= known.size(); ++pass)
        for (int y = 0; y < samples.height(); ++y) {
            const auto row = samples.row(y);
            for (std::size_t i = 0; i < row.size(); ++i)
                for (std::uint64_t left = row[i]; left != 0; left &= left - 1) {
                    const int x = int(i) * 64 + std::countr_zero(left);
                    if (pass < known.size() && known[pass].knows(x, y)) continue;
                    if (std::min({most, known[0].bound(x, y), known[1].bound(x, y)}) <= farthest) continue;
                    const double distance = from.distanceToNearest(x, y, most);
                    farthest = std::max(farthest, distance);
                    if (pass < known.size()) known[pass].know(x, y, distance);
                }
        }
    return farthest;
}

}  // namespace um
