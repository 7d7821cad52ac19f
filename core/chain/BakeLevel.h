#pragma once
/// Baking a level of a chain, with its figures.
#include "chain/Level.h"

namespace um {

/// Gives a level new UVs, and textures with the look of the source.
/// @param seenAt    distance in metres at which the look difference is measured; 0 to leave it out
/// @param tileDone  as of TransferSettings
/// @returns notes for the user, a sentence each
/// @throws InputError, FileError, MeshError, Cancelled
std::vector<std::string> bakeLevel(Level& level, const Mesh& source, const BakeChoice& choice, const Screen& screen,
                                   double seenAt, const Progress& progress,
                                   const decltype(TransferSettings::tileDone)& tileDone = {});

}  // namespace um
