#pragma once
/// glTF and GLB files whose primitives are compressed (KHR_draco_mesh_compression).
#include <filesystem>
#include <optional>
#include <string>
#include <string_view>

namespace um {

/// The same as a GLB with plain primitives; nothing if none is compressed. Buffers that are not unpacked stay files of
/// their own.
/// @throws FileError  if what is compressed cannot be unpacked, or its buffer is missing
std::optional<std::string> withoutDraco(const std::filesystem::path& path, std::string_view text);

}  // namespace um
