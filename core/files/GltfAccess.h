#pragma once
/// The numbers behind the accessors of a glTF file, each checked against the buffers that are really there.
#include <tiny_gltf.h>
#include <cstdint>
#include <filesystem>
#include <string>
#include <vector>

namespace um {

/// The values of an accessor as floats; integers are normalised where the file says so.
struct GltfValues {
    std::vector<float> values;
    std::size_t columns = 0;
    std::size_t rows = 0;
};

class GltfAccess {
public:
    /// Keeps both references.
    GltfAccess(const tinygltf::Model& model, const std::filesystem::path& path) : m_model(model), m_path(path) {}

    /// @throws FileError  if there is no such accessor, or it reaches beyond its buffer
    GltfValues values(int accessor) const;
    /// @throws FileError  likewise, or if its elements are not single numbers
    std::vector<std::uint32_t> indices(int accessor) const;

private:
    [[noreturn]] void fail(const std::string& what) const;
    std::size_t placeOf(int view, std::size_t offset, std::size_t rows, std::size_t rowSize, std::size_t& stride) const;
    const unsigned char* bytesOf(int view) const;

    const tinygltf::Model& m_model;
    const std::filesystem::path& m_path;
};

}  // namespace um
