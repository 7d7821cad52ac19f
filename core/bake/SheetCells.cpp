#include "bake/SheetCells.h"

#include <algorithm>
#include <bit>

namespace um {
namespace {

using Word = CellGrid::Word;
constexpr int wordBits = CellGrid::wordBits;
constexpr int side = Footprint::blockSide;
constexpr int blocksInWord = wordBits / side;
constexpr Word all = ~Word(0);
constexpr Word oneBlock = all >> (wordBits - side);

int levelOf(const CellRun& run) {
    return std::bit_width(unsigned(run.end - run.begin)) - 1;
}

// 64 cells from any cell on. Beyond the row there is an empty word.
Word wordFrom(const Word* row, int cell) {
    const int shift = cell % wordBits;
    row += cell / wordBits;
    return row[0] >> shift | row[1] << 1 << (wordBits - 1 - shift);
}

// The first `count` of the bits.
Word firstBits(int count) {
    return count >= wordBits ? all : count <= 0 ? 0 : all >> (wordBits - count);
}

// Of the word's blocks those that hold anything, as the lowest bits.
Word blocksWithin(Word cells) {
    Word blocks = 0;
    while (cells != 0) {
        const int block = std::countr_zero(cells) / side;
        blocks |= Word(1) << block;
        cells &= ~(oneBlock << (block * side));
    }
    return blocks;
}

// All cells of the blocks that are the lowest bits.
Word cellsOf(Word blocks) {
    Word cells = 0;
    for (; blocks != 0; blocks &= blocks - 1) cells |= oneBlock << (std::countr_zero(blocks) * side);
    return cells;
}

void fill(CellGrid& grid, const Footprint& footprint, const SheetCells::Spot& spot, bool isTaken) {
    for (const CellRun& run : footprint.runs) {
        Word* row = grid.row(spot.y + run.row);
        for (int x = spot.x + run.begin, end = spot.x + run.end; x < end;) {
            const int first = x % wordBits, count = std::min(wordBits - first, end - x);
            const Word bits = firstBits(count) << first;
            row[x / wordBits] = isTaken ? row[x / wordBits] | bits : row[x / wordBits] & ~bits;
            x += count;
        }
    }
}

}  // namespace

CellGrid::CellGrid(int side)
    : m_side(side), m_words((side + wordBits - 1) / wordBits), m_levels(std::bit_width(unsigned(side))) {
    m_bits.assign((std::size_t(m_levels) * std::size_t(side) + 1) * std::size_t(m_words + 1), 0);
}

void CellGrid::update(int firstRow, int endRow, int firstWord, int endWord) {
    for (int y = firstRow; y < endRow; ++y)
        for (int level = 1; level < m_levels; ++level) {
            const Word* half = rowAt(level - 1, y);
            Word* __restrict row = rowAt(level, y);
            const int step = 1 << (level - 1), words = step / wordBits, shift = step % wordBits;
            // Runs that begin farther left reach into what changed; there is nothing beyond the row.
            const int from = std::max(0, firstWord - (2 * step + wordBits - 1) / wordBits);
            const int within = std::clamp(m_words - words, from, endWord);
            for (int w = from; w < within; ++w)
                row[w] = half[w] | half[w + words] >> shift | half[w + words + 1] << 1 << (wordBits - 1 - shift);
            std::copy(half + within, half + endWord, row + within);
        }
}

Word CellGrid::block(const CellRun& run, int y, Word* __restrict blocked) const {
    const int level = levelOf(run), second = run.end - (1 << level);
    const Word* row = rowAt(level, y + run.row);
    const Word *one = row + run.begin / wordBits, *two = row + second / wordBits;
    const int shiftOne = run.begin % wordBits, shiftTwo = second % wordBits;
    Word free = 0;
    // Without a branch, so that several words are done at once. What is read beyond a row does not matter: nothing is
    // put there.
    for (int w = 0, words = m_words; w < words; ++w) {
        blocked[w] |= one[w] >> shiftOne | one[w + 1] << 1 << (wordBits - 1 - shiftOne) | two[w] >> shiftTwo |
                      two[w + 1] << 1 << (wordBits - 1 - shiftTwo);
        free |= ~blocked[w];
    }
    return free;
}

Word CellGrid::blockedFrom(const CellRun& run, int x, int y) const {
    const int level = levelOf(run);
    const Word* row = rowAt(level, y + run.row);
    return wordFrom(row, x + run.begin) | wordFrom(row, x + run.end - (1 << level));
}

SheetCells::SheetCells(int side) : m_cells(side), m_blocks((side + um::side - 1) / um::side) {}

std::optional<SheetCells::Spot> SheetCells::find(const Footprint& footprint, int top) const {
    const int lastX = m_cells.side() - footprint.width, lastY = std::min(m_cells.side(), top) - footprint.height;
    if (lastX < 0) return std::nullopt;
    std::vector<Word> blocked(static_cast<std::size_t>(m_blocks.words()));
    struct Start {
        int word;
        Word fits;  // whether it may, from each cell of the word on
    };
    std::vector<Start> starts;
    starts.reserve(std::size_t(m_cells.words()));
    for (int row = 0; row * side <= lastY; ++row) {
        for (int w = 0; w < m_blocks.words(); ++w)
            blocked[std::size_t(w)] = ~firstBits(lastX / side + 1 - w * wordBits);
        if (std::any_of(footprint.blocks.begin(), footprint.blocks.end(),
                        [&](const CellRun& run) { return m_blocks.block(run, row, blocked.data()) == 0; }))
            continue;
        starts.clear();
        for (int w = 0; w < m_cells.words(); ++w) {
            const Word blocks = ~blocked[std::size_t(w / side)] >> (w % side * blocksInWord) & firstBits(blocksInWord);
            if (blocks != 0) starts.push_back({w, cellsOf(blocks) & firstBits(lastX + 1 - w * wordBits)});
        }
        for (int y = row * side; y < (row + 1) * side && y <= lastY; ++y)
            for (const Start& start : starts) {
                Word fits = start.fits;
                for (auto run = footprint.runs.begin(); fits != 0 && run != footprint.runs.end(); ++run)
                    fits &= ~m_cells.blockedFrom(*run, start.word * wordBits, y);
                if (fits != 0) return Spot{start.word * wordBits + std::countr_zero(fits), y};
            }
    }
    return std::nullopt;
}

void SheetCells::put(const Footprint& footprint, const Spot& spot) {
    fill(m_cells, footprint, spot, true);
    update(footprint, spot);
}

void SheetCells::take(const Footprint& footprint, const Spot& spot) {
    fill(m_cells, footprint, spot, false);
    update(footprint, spot);
}

void SheetCells::update(const Footprint& footprint, const Spot& spot) {
    const int firstRow = spot.y, endRow = spot.y + footprint.height;
    const int firstWord = spot.x / wordBits, endWord = (spot.x + footprint.width - 1) / wordBits + 1;
    m_cells.update(firstRow, endRow, firstWord, endWord);
    const int firstBlockRow = firstRow / side, endBlockRow = (endRow - 1) / side + 1;
    const int firstBlockWord = firstWord / side, endBlockWord = (endWord - 1) / side + 1;
    for (int by = firstBlockRow; by < endBlockRow; ++by) {
        Word* row = m_blocks.row(by);
        for (int bw = firstBlockWord; bw < endBlockWord; ++bw) {
            row[bw] = 0;
            for (int w = bw * side; w < std::min(m_cells.words(), (bw + 1) * side); ++w) {
                Word any = 0;
                for (int y = by * side; y < std::min(m_cells.side(), (by + 1) * side); ++y) any |= m_cells.row(y)[w];
                row[bw] |= blocksWithin(any) << (w % side * blocksInWord);
            }
        }
    }
    m_blocks.update(firstBlockRow, endBlockRow, firstBlockWord, endBlockWord);
}

}  // namespace um
