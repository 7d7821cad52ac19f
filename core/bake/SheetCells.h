#pragma once
/// Where on a sheet there is room.
#include "bake/Footprint.h"

#include <cstdint>
#include <optional>
#include <utility>
#include <vector>

namespace um {

/// A square of cells in which all runs of cells of a length can be asked about at once: for each row it knows from
/// which cells on the next 1, 2, 4, 8 ... hold anything, and any run is two of those.
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

    /// Adds to `blocked` the cells of row `y` at which a footprint with that run may not be put.
    /// @returns a word that is 0 if by now all are blocked
    Word block(const CellRun& run, int y, Word* blocked) const;

    /// The same for the 64 cells from `x` on.
    Word blockedFrom(const CellRun& run, int x, int y) const;

private:
    const Word* rowAt(int level, int y) const {
        return m_bits.data() + (std::size_t(level) * std::size_t(m_side) + std::size_t(y)) * std::size_t(m_words + 1);
    }
    Word* rowAt(int level, int y) { return const_cast<Word*>(std::as_const(*this).rowAt(level, y)); }

    int m_side, m_words, m_levels;
    std::vector<Word> m_bits;  // a word more in each row, always empty, and a row more at the end
};

/// The cells of a sheet, and blocks of them to see soon where there is no room.
class SheetCells {
public:
    explicit SheetCells(int side);

    struct Spot {
        int x = 0, y = 0;
    };

    /// The lowest place where the footprint fits and ends below `top`, and of those the one farthest left.
    std::optional<Spot> find(const Footprint& footprint, int top) const;

    void put(const Footprint& footprint, const Spot& spot);

    /// Takes away what was put there.
    void take(const Footprint& footprint, const Spot& spot);

private:
    void update(const Footprint& footprint, const Spot& spot);

    CellGrid m_cells, m_blocks;
};

}  // namespace um
