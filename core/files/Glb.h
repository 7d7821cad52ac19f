#pragma once
/// The container of binary glTF: JSON and one block of bytes in one file.
#include <optional>
#include <string>
#include <string_view>

namespace um {

/// @param json   as text
/// @param bytes  of the only buffer
std::string glbOf(std::string json, std::string_view bytes);

struct GlbChunks {
    std::string_view json, bytes;
};

/// Views into a file; nothing if it is no GLB of these two chunks, or is cut off.
std::optional<GlbChunks> chunksOfGlb(std::string_view file);

}  // namespace um
