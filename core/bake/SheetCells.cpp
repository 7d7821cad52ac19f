#include "bake/SheetCells.h"

#include <algorithm>
#include <bit>

namespace um {
namespace {

using Word = CellGrid::Word;
constexpr int wordBits = CellGrid::wordBits;
constexpr int blockSide = Footprint::blockSide;
constexpr int blocksInWord = wordBits / blockSide;
constexpr Word fullWord = ~Word(0);
constexpr Word oneBlock = fullWord >> (wordBits - blockSide);

// The longest of the runs of 1, 2, 4 ... 64 cells that are no longer.
int levelFor(int length) {
    return std::bit_width(unsigned(std::min(length, wordBits))) - 1;
}

// The first `count` of the bits.
Word firstBits(int count) {
    return count >= wordBits ? fullWord : count <= 0 ? 0 : fullWord >> (wordBits - count);
}

// Of the word's blocks those that hold anything, as the lowest bits: the lowest cell of each tells of all four, then
// they move together, each time from twice as far.
Word blocksWithin(Word cells) {
    static_assert(blockSide == 4);
    Word blocks = (cells | cells >> 1 | cells >> 2 | cells >> 3) & 0x1111'1111'1111'1111;
    blocks = (blocks | blocks >> 3) & 0x0303'0303'0303'0303;
    blocks = (blocks | blocks >> 6) & 0x000F'000F'000F'000F;
    blocks = (blocks | blocks >> 12) & 0x0000'00FF'0000'00FF;
    return (blocks | blocks >> 24) & firstBits(blocksInWord);
}

// All cells of the blocks that are the lowest bits: the way back.
Word cellsOf(Word blocks) {
    Word cells = (blocks | blocks << 24) & 0x0000'00FF'0000'00FF;
    cells = (cells | cells << 12) & 0x000F'000F'000F'000F;
    cells = (cells | cells << 6) & 0x0303'0303'0303'0303;
    cells = (cells | cells << 3) & 0x1111'1111'1111'1111;
    return cells * oneBlock;
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

CellGrid::CellGrid(int side) : m_side(side), m_words((side + wordBits - 1) / wordBits) {
    m_bits.assign((std::size_t(levels) * std::size_t(side) + 1) * std::size_t(m_words) + 1, 0);
}

// What is known of runs that reach beyond the row is wrong, for it is read from the next; nothing is put there.
void CellGrid::update(int firstRow, int endRow, int firstWord, int endWord) {
    for (int y = firstRow; y < endRow; ++y) {
        std::array<Word, levels - 1> next;  // of each level the word beyond
        for (int level = 0; level + 1 < levels; ++level) next[std::size_t(level)] = rowAt(level, y)[endWord];
        // Runs that begin in the word before reach into what changed.
        for (int w = endWord; w-- > std::max(0, firstWord - 1);) {
            Word here = rowAt(0, y)[w];
            for (int level = 0; level + 1 < levels; ++level) {
                const int step = 1 << level;
                const Word longer = here | here >> step | next[std::size_t(level)] << (wordBits - step);
                next[std::size_t(level)] = here;
                rowAt(level + 1, y)[w] = here = longer;
            }
        }
    }
}

std::vector<CellGrid::Probe> CellGrid::probesOf(const std::vector<CellRun>& runs, std::size_t together) const {
    std::vector<Probe> probes;
    probes.reserve(2 * runs.size() + together);
    for (const CellRun& run : runs) {
        const int level = levelFor(run.end - run.begin), length = 1 << level;
        const std::ptrdiff_t row = rowAt(level, run.row) - rowAt(0, 0);
        for (int begin = run.begin; begin < run.end; begin += length) {
            const int x = std::min(begin, run.end - length);
            probes.push_back({row + x / wordBits, x % wordBits});
        }
    }
    while (probes.size() % together != 0) probes.push_back(probes.back());
    return probes;
}

SheetCells::SheetCells(int side) : m_cells(side), m_blocks((side + blockSide - 1) / blockSide) {}

std::optional<SheetCells::Spot> SheetCells::find(const Footprint& footprint, int top, int from) const {
    constexpr std::size_t blocksTogether = 2, cellsTogether = 4;
    const int lastX = m_cells.side() - footprint.width, lastY = std::min(m_cells.side(), top) - footprint.height;
    if (lastX < 0 || from > lastY) return std::nullopt;
    const std::vector<CellGrid::Probe> blocks = m_blocks.probesOf(footprint.blocks, blocksTogether);
    const std::vector<CellGrid::Probe> cells = m_cells.probesOf(footprint.runs, cellsTogether);
    const auto blockWords = std::size_t(m_blocks.words());
    std::vector<Word> within(blockWords), free(blockWords);
    for (int w = 0; w < m_blocks.words(); ++w) within[std::size_t(w)] = firstBits(lastX / blockSide + 1 - w * wordBits);
    struct Start {
        int word;
        Word fits;  // whether it may, from each cell of the word on
    };
    std::vector<Start> starts;
    starts.reserve(std::size_t(m_cells.words()));
    for (int row = from / blockSide; row * blockSide <= lastY; ++row) {
        std::copy(within.begin(), within.end(), free.begin());
        if (!m_blocks.narrow<blocksTogether>(free, blocks, row, 0)) continue;
        starts.clear();
        for (int w = 0; w < m_cells.words(); ++w) {
            const Word some =
                free[std::size_t(w / blockSide)] >> (w % blockSide * blocksInWord) & firstBits(blocksInWord);
            if (some != 0) starts.push_back({w, cellsOf(some) & firstBits(lastX + 1 - w * wordBits)});
        }
        for (int y = std::max(from, row * blockSide); y < (row + 1) * blockSide && y <= lastY; ++y)
            for (const Start& start : starts) {
                Word fits = start.fits;
                if (m_cells.narrow<cellsTogether>({&fits, 1}, cells, y, start.word))
                    return Spot{start.word * wordBits + std::countr_zero(fits), y};
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
    const int firstBlockRow = firstRow / blockSide, endBlockRow = (endRow - 1) / blockSide + 1;
    const int firstBlockWord = firstWord / blockSide, endBlockWord = (endWord - 1) / blockSide + 1;
    for (int by = firstBlockRow; by < endBlockRow; ++by) {
        Word* row = m_blocks.row(by);
        for (int w = firstWord; w < endWord; ++w) {
            Word any = 0;
            for (int y = by * blockSide; y < std::min(m_cells.side(), (by + 1) * blockSide); ++y)
                any |= m_cells.row(y)[w];
            const int shift = w % blockSide * blocksInWord;
            Word& blocks = row[w / blockSide];
            blocks = (blocks & ~(firstBits(blocksInWord) << shift)) | blocksWithin(any) << shift;
        }
    }
    m_blocks.update(firstBlockRow, endBlockRow, firstBlockWord, endBlockWord);
}

}  // namespace um
