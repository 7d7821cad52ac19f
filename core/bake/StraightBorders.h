#pragma once
/// Borders between pieces of a surface as short as they can be near where they are.
#include "bake/Neighbours.h"

namespace um {

/// Two pieces that meet part anew where that shows least, among the triangles at the border between them and those next
/// to these: borders lose their teeth. Cuts along creases hardly count. No piece vanishes.
/// @param pieceOf  the piece of each triangle
/// Source: Boykov, Veksler & Zabih 2001, IEEE Trans. Pattern Analysis and Machine Intelligence 23(11) (two labels at a
/// time, each change a smallest cut).
void straightenBorders(const Neighbours& around, std::vector<std::uint32_t>& pieceOf);

}  // namespace um
