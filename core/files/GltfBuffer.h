#pragma once
/// The binary side of a glTF file and the JSON that describes it, growing together.
#include "mesh/Mesh.h"

#include <cstring>
#include <nlohmann/json.hpp>
#include <string>

namespace um {

using GltfJson = nlohmann::ordered_json;

namespace gltf {
constexpr int byteType = 5120, unsignedByteType = 5121, shortType = 5122, unsignedShortType = 5123,
              unsignedIntType = 5125, floatType = 5126;
constexpr int noTarget = 0, arrayTarget = 34962, elementTarget = 34963;
}  // namespace gltf

class GltfBuffer {
public:
    explicit GltfBuffer(GltfJson& json) : m_json(json) {}

    /// @param stride  bytes from one element to the next, where it is not their size
    /// @returns the number of the view of these bytes
    int addBytes(const void* bytes, std::size_t size, int target, std::size_t stride = 0) {
        const std::size_t offset = m_bytes.size();
        m_bytes.resize((offset + size + 3) / 4 * 4, 0);
        std::memcpy(m_bytes.data() + offset, bytes, size);
        GltfJson view = {{"buffer", 0}, {"byteOffset", offset}, {"byteLength", size}};
        if (stride > 0) view["byteStride"] = stride;
        if (target != gltf::noTarget) view["target"] = target;
        m_json["bufferViews"].push_back(view);
        return int(m_json["bufferViews"].size()) - 1;
    }

    /// An accessor to values that lie elsewhere, as in a compressed primitive.
    int describe(std::size_t count, const char* type, int componentType, bool normalized = false) {
        GltfJson accessor = {{"componentType", componentType}, {"count", count}, {"type", type}};
        if (normalized) accessor["normalized"] = true;
        m_json["accessors"].push_back(accessor);
        return int(m_json["accessors"].size()) - 1;
    }

    /// @returns the number of the accessor to these values, each an element
    template <class T>
    int add(const std::vector<T>& values, const char* type, int componentType, int target, bool normalized = false) {
        // Vertices start at whole words; elements of fewer bytes are spaced by their stride.
        const bool isSpaced = target == gltf::arrayTarget && std::string(type) == "VEC3" && sizeof(T) < 12;
        const int view = addBytes(values.data(), values.size() * sizeof(T), target, isSpaced ? sizeof(T) : 0);
        const int accessor = describe(values.size(), type, componentType, normalized);
        GltfJson& json = m_json["accessors"][std::size_t(accessor)];
        json["bufferView"] = view;
        return accessor;
    }

    GltfJson& accessor(int number) { return m_json["accessors"][std::size_t(number)]; }
    const std::vector<char>& bytes() const { return m_bytes; }

private:
    GltfJson& m_json;
    std::vector<char> m_bytes;
};

}  // namespace um
