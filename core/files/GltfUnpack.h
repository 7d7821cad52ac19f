#pragma once
/// GLB files whose primitives are compressed (KHR_draco_mesh_compression).
#include <filesystem>
#include <optional>
#include <string>
#include <string_view>

namespace um {

/// The same file with plain primitives; nothing if none is compressed.
/// @throws FileError  if what is compressed cannot be unpacked
std::optional<std::string> withoutDraco(const std::filesystem::path& path, std::string_view text);

}  // namespace um
