#include "files/Glb.h"

#include <array>
#include <cstdint>
#include <cstring>

namespace um {
namespace {

constexpr std::uint32_t magic = 0x46546c67, version = 2, jsonType = 0x4e4f534a, binaryType = 0x004e4942;
constexpr std::size_t glbHeaderSize = 12, glbChunkHeaderSize = 8;

void append(std::string& file, std::initializer_list<std::size_t> words) {
    for (const std::size_t word : words) {
        const auto value = std::uint32_t(word);
        file.append(reinterpret_cast<const char*>(&value), sizeof value);
    }
}

// Takes a chunk off the front.
std::optional<std::string_view> takeChunk(std::string_view& rest, std::uint32_t type) {
    std::array<std::uint32_t, 2> header{};
    if (rest.size() < glbChunkHeaderSize) return std::nullopt;
    std::memcpy(header.data(), rest.data(), glbChunkHeaderSize);
    rest.remove_prefix(glbChunkHeaderSize);
    if (header[1] != type || header[0] > rest.size()) return std::nullopt;
    const std::string_view chunk = rest.substr(0, header[0]);
    rest.remove_prefix(header[0]);
    return chunk;
}

}  // namespace

std::string glbOf(std::string json, std::string_view bytes) {
    json.resize((json.size() + 3) / 4 * 4, ' ');
    const std::size_t binarySize = (bytes.size() + 3) / 4 * 4;
    const std::size_t size = glbHeaderSize + 2 * glbChunkHeaderSize + json.size() + binarySize;
    std::string file;
    file.reserve(size);
    append(file, {magic, version, size, json.size(), jsonType});
    file += json;
    append(file, {binarySize, binaryType});
    file += bytes;
    file.resize(size, '\0');
    return file;
}

std::optional<GlbChunks> chunksOfGlb(std::string_view file) {
    if (!file.starts_with("glTF") || file.size() < glbHeaderSize) return std::nullopt;
    file.remove_prefix(glbHeaderSize);
    const auto json = takeChunk(file, jsonType);
    const auto bytes = json ? takeChunk(file, binaryType) : std::nullopt;
    if (!bytes) return std::nullopt;
    return GlbChunks{*json, *bytes};
}

}  // namespace um
