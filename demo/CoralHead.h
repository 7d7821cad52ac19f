#pragma once
/// The scan case: a head of brain coral, dense and organic, with the rim that a scan has where it stood.
#include "mesh/Mesh.h"

#include <filesystem>

namespace um::demo {

/// About `triangles` triangles (the nearest 2 n²), one part, no UVs; in metres, y up, half a metre across.
Mesh makeCoralHead(std::size_t triangles);

/// The same straight into a binary STL file, row by row: for sizes that no memory holds.
/// @throws FileError
/// @returns the number of triangles written
std::size_t writeCoralHead(std::size_t triangles, const std::filesystem::path& file);

}  // namespace um::demo
