#pragma once
/// Which samples of a picture a mesh covers: one bit each, 64 to a word, so that whole runs are set and compared at
/// once.
#include "mesh/Mesh.h"

#include <cstdint>
#include <span>
#include <vector>

namespace um {

/// A picture of single bits; row 0 is on top. Bits beyond the width are 0.
class SampleMask {
public:
    SampleMask() = default;
    SampleMask(int width, int height);

    int width() const { return m_width; }
    int height() const { return m_height; }
    int wordsPerRow() const { return m_wordsPerRow; }

    bool at(int x, int y) const { return (row(y)[std::size_t(x) / 64] >> (unsigned(x) % 64) & 1) != 0; }
    std::span<const std::uint64_t> row(int y) const {
        return {m_words.data() + std::size_t(y) * std::size_t(m_wordsPerRow), std::size_t(m_wordsPerRow)};
    }
    std::span<std::uint64_t> row(int y) {
        return {m_words.data() + std::size_t(y) * std::size_t(m_wordsPerRow), std::size_t(m_wordsPerRow)};
    }

    /// Covers samples first … last of a row.
    void setRun(int y, int first, int last);

    std::size_t count() const;

    /// How long the lines are that part what is covered from what is not, in samples; the picture's own edge parts too.
    /// Within five per cent for straight lines, nearer for round ones.
    /// Source: Cauchy & Crofton's formula, with lines of four directions.
    double outlineLength() const;

    /// How far the closest set sample is from x, y, in samples; `most` if it is not nearer.
    double distanceToNearest(int x, int y, double most) const;

private:
    int m_width = 0, m_height = 0, m_wordsPerRow = 0;
    std::vector<std::uint64_t> m_words;
};

/// What is covered in `a` and not in `b`, which is of the same size.
SampleMask difference(const SampleMask& a, const SampleMask& b);

/// The largest distance of a sample set in `samples` from the closest one set in `from`, which is of the same size; in
/// samples, `most` if it is not less, 0 if none is set.
double farthestFrom(const SampleMask& from, const SampleMask& samples, double most);

}  // namespace um
