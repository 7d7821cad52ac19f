#pragma once
/// Budgets of a chain, and the check against them.
#include "chain/Level.h"

#include <string>
#include <vector>

namespace um {

/// Upper limits; 0 for no limit.
struct Budget {
    std::size_t levelTriangles = 0;  ///< of each level
    std::size_t totalTriangles = 0;  ///< of all levels together
    std::size_t drawCalls = 0;       ///< of each level
    double textureMegabytes = 0;     ///< on the graphics card, of all levels together; a million bytes each
    double fileMegabytes = 0;        ///< of all levels together

    bool operator==(const Budget&) const = default;
};

/// A limit of a budget, and the chain's value.
struct BudgetLine {
    std::string name;  ///< "Triangles", "Triangles per level", "Draw calls per level", "Textures", "Files"
    std::string unit;  ///< "", "MB"
    double used = 0;
    double allowed = 0;  ///< 0 for no limit

    bool isOver() const { return allowed > 0 && used > allowed; }
    bool operator==(const BudgetLine&) const = default;
};

/// All five, in the order above.
/// @param fileBytes  of what was delivered; 0 takes what plain GLB files would have
std::vector<BudgetLine> holdAgainst(const Budget& budget, const std::vector<Level>& levels, double fileBytes = 0);

/// `total=180k, level=120k, draws=2, textures=8MB, files=4MB`: what is not named has no limit.
/// @throws InputError  saying what would be right
Budget parseBudget(std::string_view text);

/// "Triangles: 198,000 of 180,000 allowed"
std::string sentenceOf(const BudgetLine& line);

}  // namespace um
