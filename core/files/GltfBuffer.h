#pragma once
/// The binary side of a glTF file and the JSON that describes it, growing together.
#include "base/Json.h"
#include "mesh/Mesh.h"

#include <cstring>
#include <string>

namespace um {

namespace gltf {
constexpr int byteType = 5120, unsignedByteType = 5121, shortType = 5122, unsignedShortType = 5123,
              unsignedIntType = 5125, floatType = 5126;
constexpr int noTarget = 0, arrayTarget = 34962, elementTarget = 34963;
}  // namespace gltf

class GltfBuffer {
public:
    explicit GltfBuffer(Json& json) : m_json(json) {}

    /// @param stride  bytes from one element to the next, where it is not their size
    /// @returns the number of the view of these bytes
    int addBytes(const void* bytes, std::size_t size, int target, std::size_t stride = 0);

    /// An accessor to values that lie elsewhere, as in a compressed primitive.
    int describe(std::size_t count, const char* type, int componentType, bool normalized = false);

    /// @returns the number of the accessor to these values, each an element
    template <class T>
    int add(const std::vector<T>& values, const char* type, int componentType, int target, bool normalized = false) {
        return addValues(values.data(), values.size(), sizeof(T), type, componentType, target, normalized);
    }

    Json& accessor(int number);
    const std::vector<char>& bytes() const { return m_bytes; }

private:
    int addValues(const void* values, std::size_t count, std::size_t size, const char* type, int componentType,
                  int target, bool normalized);

    Json& m_json;
    std::vector<char> m_bytes;
};

}  // namespace um
