#pragma once
/// The header of a PLY file: which elements of which properties follow, and how they are written.
#include <filesystem>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace um::ply {

enum class Type { Int8, Uint8, Int16, Uint16, Int32, Uint32, Float32, Float64 };
enum class Encoding { Ascii, LittleEndian, BigEndian };

struct Property {
    std::string name;
    Type type = Type::Float32;
    bool isList = false;
    Type countType = Type::Uint8;
};

struct Element {
    std::string name;
    std::size_t count = 0;
    std::vector<Property> properties;
};

struct Header {
    Encoding encoding = Encoding::Ascii;
    std::vector<Element> elements;
    std::string unit;
    std::vector<std::string> textures;  ///< files beside it, from comments
    std::size_t size = 0;               ///< bytes, up to where the data begins

    /// Whether binary values are in the other byte order than this machine's.
    bool swaps() const;
};

/// @throws FileError  naming the line that is not understood
Header readHeader(const std::filesystem::path& path, std::string_view text);

std::size_t sizeOf(Type type);

/// A binary value, `at` its first byte.
double load(const char* at, Type type, bool swap);

/// Which of a vertex's properties hold what; -1 where it is missing.
struct VertexLayout {
    int position[3] = {-1, -1, -1};
    int normal[3] = {-1, -1, -1};
    int uv[2] = {-1, -1};
    int color[4] = {-1, -1, -1, -1};
    bool colorIsFloat = false;

    static bool whole(const int* slots, int count) {
        for (int i = 0; i < count; ++i)
            if (slots[i] < 0) return false;
        return true;
    }
};

/// Which of a face's properties hold what.
struct FaceLayout {
    std::size_t corners = 0;
    std::optional<std::size_t> uvs, texture;
};

/// @throws FileError  if there are no corners
FaceLayout faceLayoutOf(const std::filesystem::path& path, const Element& element);

/// @throws FileError  if there are no positions
VertexLayout layoutOf(const std::filesystem::path& path, const Element& element);

}  // namespace um::ply
