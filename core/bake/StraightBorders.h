#pragma once
/// Borders between pieces of a surface as short as they can be near where they are.
#include "bake/Neighbours.h"

namespace um {

/// What the borders between pieces cost: the length of them that shows, of which creases hardly count.
/// @param pieceOf  the piece of each triangle
double costOfBorders(const Neighbours& around, const std::vector<std::uint32_t>& pieceOf);

/// Two pieces that meet part anew where that costs least, among the triangles near the border between them: borders
/// lose their teeth. No piece vanishes.
/// @param rings  of triangles beside the border that may change to the other side
/// Source: Boykov, Veksler & Zabih 2001, IEEE Trans. Pattern Analysis and Machine Intelligence 23(11) (two labels at a
/// time, each change a smallest cut).
void straightenBorders(const Neighbours& around, std::vector<std::uint32_t>& pieceOf, int rings);

}  // namespace um
