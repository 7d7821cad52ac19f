#pragma once
/// STL: ASCII and binary triangle soups.
#include "files/MeshFile.h"

#include <string_view>

namespace um {

/// Whether the bytes are those of an STL file, binary or ASCII.
bool looksLikeStl(std::string_view text);

/// Whether what looks like STL is text.
bool isAsciiStl(std::string_view text);

inline constexpr std::size_t stlPrefixSize = 84;  ///< before the first triangle of a binary file
inline constexpr std::size_t stlRecordSize = 50;  ///< normal, three corners, two bytes nobody uses

/// The number of triangles of a binary file.
/// @throws FileError  if it is cut off
std::size_t binaryStlTriangles(const std::filesystem::path& path, std::string_view text);

/// Fills `result` from a file's bytes.
/// @throws FileError  naming the place and the remedy, if the file is broken
void readStl(const std::filesystem::path& path, std::string_view text, MeshFile& result, const Progress& progress);

void writeStl(const Mesh& mesh, const std::filesystem::path& path, const Progress& progress);

}  // namespace um
