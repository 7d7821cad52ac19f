#pragma once
/// glTF and GLB files whose primitives are compressed (KHR_draco_mesh_compression).
#include <filesystem>
#include <optional>
#include <string>
#include <string_view>

namespace um {

/// The file as a GLB with plain primitives; nothing if none is compressed. External buffers stay external.
/// @throws FileError  if a compressed primitive is damaged, or its buffer is missing
std::optional<std::string> withoutDraco(const std::filesystem::path& path, std::string_view text);

}  // namespace um
