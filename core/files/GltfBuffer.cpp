#include "files/GltfBuffer.h"

#include <cstring>
#include <nlohmann/json.hpp>

namespace um {

int GltfBuffer::addBytes(const void* bytes, std::size_t size, int target, std::size_t stride) {
    const std::size_t offset = m_bytes.size();
    m_bytes.resize((offset + size + 3) / 4 * 4, 0);
    std::memcpy(m_bytes.data() + offset, bytes, size);
    Json view = {{"buffer", 0}, {"byteOffset", offset}, {"byteLength", size}};
    if (stride > 0) view["byteStride"] = stride;
    if (target != gltf::noTarget) view["target"] = target;
    m_json["bufferViews"].push_back(view);
    return int(m_json["bufferViews"].size()) - 1;
}

int GltfBuffer::describe(std::size_t count, const char* type, int componentType, bool normalized) {
    Json accessor = {{"componentType", componentType}, {"count", count}, {"type", type}};
    if (normalized) accessor["normalized"] = true;
    m_json["accessors"].push_back(accessor);
    return int(m_json["accessors"].size()) - 1;
}

int GltfBuffer::addValues(const void* values, std::size_t count, std::size_t size, const char* type, int componentType,
                          int target, bool normalized) {
    // Vertices start at whole words; elements of fewer bytes are spaced by their stride.
    const bool isSpaced = target == gltf::arrayTarget && std::string(type) == "VEC3" && size < 12;
    const int view = addBytes(values, count * size, target, isSpaced ? size : 0);
    const int number = describe(count, type, componentType, normalized);
    accessor(number)["bufferView"] = view;
    return number;
}

Json& GltfBuffer::accessor(int number) {
    return m_json["accessors"][std::size_t(number)];
}

}  // namespace um
