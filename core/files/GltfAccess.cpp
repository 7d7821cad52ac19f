#include "files/GltfAccess.h"

#include "base/Error.h"
#include "base/Parallel.h"

#include <cstring>

namespace um {
namespace {

std::size_t columnsOf(int type) {
    return std::size_t(std::max(0, tinygltf::GetNumComponentsInType(std::uint32_t(type))));
}

double component(const unsigned char* at, int type) {
    const auto as = [&]<class T>(T value) {
        std::memcpy(&value, at, sizeof value);
        return double(value);
    };
    switch (type) {
        case TINYGLTF_COMPONENT_TYPE_BYTE: return as(std::int8_t{});
        case TINYGLTF_COMPONENT_TYPE_UNSIGNED_BYTE: return as(std::uint8_t{});
        case TINYGLTF_COMPONENT_TYPE_SHORT: return as(std::int16_t{});
        case TINYGLTF_COMPONENT_TYPE_UNSIGNED_SHORT: return as(std::uint16_t{});
        case TINYGLTF_COMPONENT_TYPE_UNSIGNED_INT: return as(std::uint32_t{});
        case TINYGLTF_COMPONENT_TYPE_FLOAT: return as(float{});
        default: return 0;
    }
}

double normalisation(int type) {
    switch (type) {
        case TINYGLTF_COMPONENT_TYPE_BYTE: return 1 / 127.0;
        case TINYGLTF_COMPONENT_TYPE_UNSIGNED_BYTE: return 1 / 255.0;
        case TINYGLTF_COMPONENT_TYPE_SHORT: return 1 / 32767.0;
        case TINYGLTF_COMPONENT_TYPE_UNSIGNED_SHORT: return 1 / 65535.0;
        default: return 1;
    }
}

}  // namespace

void GltfAccess::fail(const std::string& what) const {
    throw FileError(m_path.string() + ": " + what);
}

const unsigned char* GltfAccess::bytesOf(int view) const {
    return m_model.buffers[std::size_t(m_model.bufferViews[std::size_t(view)].buffer)].data.data();
}

// Where in the buffer `rows` rows begin, having made sure that all of them lie within it.
std::size_t GltfAccess::placeOf(int view, std::size_t offset, std::size_t rows, std::size_t rowSize,
                                std::size_t& stride) const {
    if (view < 0 || std::size_t(view) >= m_model.bufferViews.size())
        fail("an accessor names a buffer view that is not there; export it again.");
    const tinygltf::BufferView& from = m_model.bufferViews[std::size_t(view)];
    if (from.buffer < 0 || std::size_t(from.buffer) >= m_model.buffers.size())
        fail("a buffer view names a buffer that is not there; export it again.");
    const std::size_t size = m_model.buffers[std::size_t(from.buffer)].data.size();
    stride = from.byteStride != 0 ? from.byteStride : rowSize;
    const bool inView = from.byteOffset <= size && from.byteLength <= size - from.byteOffset;
    const bool inRange = inView && offset <= from.byteLength && rowSize <= from.byteLength - offset &&
                         (rows - 1) <= (from.byteLength - offset - rowSize) / std::max<std::size_t>(1, stride);
    if (!inRange) fail("an accessor reaches beyond its buffer; the file is cut off or was exported wrongly.");
    return from.byteOffset + offset;
}

GltfValues GltfAccess::values(int index) const {
    if (index < 0 || std::size_t(index) >= m_model.accessors.size())
        fail("a primitive names an accessor that is not there; export it again.");
    const tinygltf::Accessor& accessor = m_model.accessors[std::size_t(index)];
    GltfValues result;
    result.columns = columnsOf(accessor.type);
    result.rows = accessor.count;
    const auto componentSize =
        std::size_t(std::max(0, tinygltf::GetComponentSizeInBytes(std::uint32_t(accessor.componentType))));
    if (result.columns == 0 || componentSize == 0 || result.rows == 0)
        fail("an accessor has no known type or no elements; export it again.");
    const std::size_t rowSize = result.columns * componentSize;
    const double scale = accessor.normalized ? normalisation(accessor.componentType) : 1.0;
    const auto copyRow = [&](const unsigned char* from, std::size_t row) {
        for (std::size_t c = 0; c < result.columns; ++c) {
            const double value = component(from + c * componentSize, accessor.componentType) * scale;
            result.values[row * result.columns + c] = float(accessor.normalized ? std::max(-1.0, value) : value);
        }
    };
    if (accessor.bufferView >= 0) {
        std::size_t stride = 0;
        const std::size_t place = placeOf(accessor.bufferView, accessor.byteOffset, result.rows, rowSize, stride);
        const unsigned char* begin = bytesOf(accessor.bufferView) + place;
        result.values.resize(result.rows * result.columns);
        parallelFor(result.rows, [&](std::size_t row) { copyRow(begin + row * stride, row); });
    } else {
        // Without a view all values are 0, and the count is only the file's word: it must be backed by sparse values.
        if (!accessor.sparse.isSparse || result.rows > (1u << 28)) fail("an accessor has no data; export it again.");
        result.values.assign(result.rows * result.columns, 0.0f);
    }
    if (accessor.sparse.isSparse) {
        const auto count = std::size_t(std::max(0, accessor.sparse.count));
        const auto& indices = accessor.sparse.indices;
        const auto& values = accessor.sparse.values;
        const auto indexSize =
            std::size_t(std::max(1, tinygltf::GetComponentSizeInBytes(std::uint32_t(indices.componentType))));
        std::size_t stride = 0;
        const std::size_t indexPlace =
            placeOf(indices.bufferView, std::size_t(indices.byteOffset), count, indexSize, stride);
        const std::size_t valuePlace =
            placeOf(values.bufferView, std::size_t(values.byteOffset), count, rowSize, stride);
        for (std::size_t i = 0; i < count; ++i) {
            const auto row =
                std::size_t(component(bytesOf(indices.bufferView) + indexPlace + i * indexSize, indices.componentType));
            if (row >= result.rows) fail("a sparse accessor names an element that is not there; export it again.");
            copyRow(bytesOf(values.bufferView) + valuePlace + i * rowSize, row);
        }
    }
    return result;
}

std::vector<std::uint32_t> GltfAccess::indices(int index) const {
    if (std::size_t(index) >= m_model.accessors.size())
        fail("a primitive names an accessor that is not there; export it again.");
    const tinygltf::Accessor& accessor = m_model.accessors[std::size_t(index)];
    const auto size =
        std::size_t(std::max(0, tinygltf::GetComponentSizeInBytes(std::uint32_t(accessor.componentType))));
    if (size == 0 || accessor.count == 0 || accessor.type != TINYGLTF_TYPE_SCALAR)
        fail("the indices have no known type; export it again.");
    std::size_t stride = 0;
    const std::size_t place = placeOf(accessor.bufferView, accessor.byteOffset, accessor.count, size, stride);
    const unsigned char* begin = bytesOf(accessor.bufferView) + place;
    std::vector<std::uint32_t> result(accessor.count);
    parallelFor(result.size(), [&](std::size_t i) {
        result[i] = std::uint32_t(component(begin + i * stride, accessor.componentType));
    });
    return result;
}

}  // namespace um
