#pragma once
/// Baking a level of a chain, with all that is kept of it.
#include "chain/Level.h"

namespace um {

/// Gives a level new UVs, and textures with the look of the source.
/// @param seenAt    where it is measured how far it then looks off, in metres; 0 leaves that out
/// @param tileDone  as of TransferSettings
/// @returns a sentence for each thing that a person should know
/// @throws InputError, FileError, MeshError, Cancelled
std::vector<std::string> bakeLevel(Level& level, const Mesh& source, const BakeChoice& choice, const Screen& screen,
                                   double seenAt, const Progress& progress,
                                   const decltype(TransferSettings::tileDone)& tileDone = {});

}  // namespace um
