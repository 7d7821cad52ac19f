#pragma once
/// Where on a sheet there is room.
#include "bake/Footprint.h"

#include <algorithm>
#include <array>
#include <cstddef>
#include <cstdint>
#include <optional>
#include <span>
#include <utility>
#include <vector>

namespace um {

/// A square of cells in which many places can be asked at once whether a footprint may be put there: for each row it
/// knows from which cells on the next 1, 2, 4 ... 64 hold anything.
class CellGrid {
public:
    using Word = std::uint64_t;
    static constexpr int wordBits = 64;

    explicit CellGrid(int side);

    int side() const { return m_side; }
    int words() const { return m_words; }  ///< of a row

    /// Bits of a row's cells. After writing any of them, `update` is to be called.
    const Word* row(int y) const { return rowAt(0, y); }
    Word* row(int y) { return rowAt(0, y); }
    /// @param firstWord, endWord  of the rows, where bits changed
    void update(int firstRow, int endRow, int firstWord, int endWord);

    /// Tells of cells side by side, some power of two of them, whether they are free.
    struct Probe {
        std::ptrdiff_t word;  ///< which tells it, counted from that of the footprint's place
        int shift;            ///< of that word
    };
    /// Those of a footprint's runs, in their order; the last is repeated until they are a multiple of `together`.
    std::vector<Probe> probesOf(const std::vector<CellRun>& runs, std::size_t together) const;

    /// Keeps of places in row `y` those where all cells are free.
    /// @tparam together  so many probes are made before looking whether any place is left: a branch that cannot be
    ///                   foretold costs as much as they do
    /// @param places  a bit for each, from the word `firstWord` of the row on
    /// @returns whether any is left
    template <std::size_t together>
    bool narrow(std::span<Word> places, const std::vector<Probe>& probes, int y, int firstWord) const {
        const Word* row = rowAt(0, y) + firstWord;
        bool isAnyLeft = true;
        for (auto probe = probes.begin(); isAnyLeft && probe != probes.end(); probe += together) {
            std::array<Probe, together> some;
            std::copy_n(probe, together, some.begin());
            Word left = 0;
            for (std::size_t w = 0; w < places.size(); ++w) {
                Word taken = 0;
                for (const Probe& p : some) {
                    const Word* tells = row + w + p.word;
                    taken |= tells[0] >> p.shift | tells[1] << 1 << (wordBits - 1 - p.shift);
                }
                left |= places[w] &= ~taken;
            }
            isAnyLeft = left != 0;
        }
        return isAnyLeft;
    }

private:
    static constexpr int levels = 7;  // of runs of 1, 2, 4 ... 64 cells

    const Word* rowAt(int level, int y) const {
        return m_bits.data() + (std::size_t(level) * std::size_t(m_side) + std::size_t(y)) * std::size_t(m_words);
    }
    Word* rowAt(int level, int y) { return const_cast<Word*>(std::as_const(*this).rowAt(level, y)); }

    int m_side, m_words;
    std::vector<Word> m_bits;  // and a row and a word more, for places are asked from which runs reach beyond the last
};

/// The cells of a sheet, and blocks of them to see soon where there is no room.
class SheetCells {
public:
    explicit SheetCells(int side);

    struct Spot {
        int x = 0, y = 0;
    };

    /// The lowest place where the footprint fits and ends below `top`, and of those the one farthest left.
    /// @param from  the row below which there is known to be none
    std::optional<Spot> find(const Footprint& footprint, int top, int from = 0) const;

    void put(const Footprint& footprint, const Spot& spot);

    /// Takes away what was put there.
    void take(const Footprint& footprint, const Spot& spot);

private:
    void update(const Footprint& footprint, const Spot& spot);

    CellGrid m_cells, m_blocks;
};

}  // namespace um
