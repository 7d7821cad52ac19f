#include "files/PlyHeader.h"

#include "base/Error.h"
#include "base/Units.h"
#include "files/Text.h"

#include <algorithm>
#include <bit>
#include <cstring>

namespace um::ply {

namespace {

std::optional<Type> typeNamed(std::string_view name) {
    if (name == "char" || name == "int8") return Type::Int8;
    if (name == "uchar" || name == "uint8") return Type::Uint8;
    if (name == "short" || name == "int16") return Type::Int16;
    if (name == "ushort" || name == "uint16") return Type::Uint16;
    if (name == "int" || name == "int32") return Type::Int32;
    if (name == "uint" || name == "uint32") return Type::Uint32;
    if (name == "float" || name == "float32") return Type::Float32;
    if (name == "double" || name == "float64") return Type::Float64;
    return std::nullopt;
}

template <class T>
double loaded(const char* at, bool swap) {
    char bytes[sizeof(T)];
    std::memcpy(bytes, at, sizeof(T));
    if (swap) std::reverse(bytes, bytes + sizeof(T));
    T value;
    std::memcpy(&value, bytes, sizeof(T));
    return double(value);
}

}  // namespace

bool Header::swaps() const {
    return (encoding == Encoding::BigEndian) != (std::endian::native == std::endian::big);
}

std::size_t sizeOf(Type type) {
    switch (type) {
        case Type::Int8:
        case Type::Uint8: return 1;
        case Type::Int16:
        case Type::Uint16: return 2;
        case Type::Int32:
        case Type::Uint32:
        case Type::Float32: return 4;
        case Type::Float64: return 8;
    }
    return 0;
}

double load(const char* at, Type type, bool swap) {
    switch (type) {
        case Type::Int8: return loaded<std::int8_t>(at, swap);
        case Type::Uint8: return loaded<std::uint8_t>(at, swap);
        case Type::Int16: return loaded<std::int16_t>(at, swap);
        case Type::Uint16: return loaded<std::uint16_t>(at, swap);
        case Type::Int32: return loaded<std::int32_t>(at, swap);
        case Type::Uint32: return loaded<std::uint32_t>(at, swap);
        case Type::Float32: return loaded<float>(at, swap);
        case Type::Float64: return loaded<double>(at, swap);
    }
    return 0;
}

Header readHeader(const std::filesystem::path& path, std::string_view text) {
    Header header;
    std::string_view rest = text;
    takeLine(rest);
    bool encodingKnown = false;
    while (true) {
        if (rest.empty()) throw FileError(path.string() + " ends within the PLY header; export or copy it again.");
        const char* place = rest.data();
        LineCursor line(takeLine(rest));
        const std::string_view word = line.word();
        if (word == "end_header") break;
        if (word == "comment") {
            const std::string what = lowered(std::string(line.word()));
            if (what == "unit:") header.unit = std::string(line.word());
            if (what == "texturefile") header.textures.emplace_back(line.rest());
        } else if (word == "format") {
            const std::string_view name = line.word();
            encodingKnown = true;
            if (name == "ascii")
                header.encoding = Encoding::Ascii;
            else if (name == "binary_little_endian")
                header.encoding = Encoding::LittleEndian;
            else if (name == "binary_big_endian")
                header.encoding = Encoding::BigEndian;
            else
                failAtLine(path, text, place,
                           "the PLY format \"" + shown(name) + "\" is not known; export as binary PLY.");
        } else if (word == "element") {
            Element element;
            element.name = std::string(line.word());
            const auto count = parseInteger(line.word());
            if (!count || *count < 0)
                failAtLine(path, text, place, "the element needs a count of 0 or more; export the file again.");
            element.count = std::size_t(*count);
            header.elements.push_back(element);
        } else if (word == "property") {
            Property property;
            std::string_view type = line.word();
            if (type == "list") {
                property.isList = true;
                const auto countType = typeNamed(line.word());
                if (!countType)
                    failAtLine(path, text, place, "the list's count has no known type; export the file again.");
                property.countType = *countType;
                type = line.word();
            }
            const auto known = typeNamed(type);
            if (!known || header.elements.empty())
                failAtLine(path, text, place,
                           "the property \"" + shown(type) + "\" is not understood; export the file again.");
            property.type = *known;
            property.name = std::string(line.word());
            header.elements.back().properties.push_back(property);
        }
    }
    if (!encodingKnown) throw FileError(path.string() + " does not say its PLY format; export it again.");
    header.size = std::size_t(rest.data() - text.data());
    return header;
}

FaceLayout faceLayoutOf(const std::filesystem::path& path, const Element& element) {
    const auto find = [&](bool isList, std::initializer_list<std::string_view> names) -> std::optional<std::size_t> {
        for (std::size_t p = 0; p < element.properties.size(); ++p)
            if (element.properties[p].isList == isList &&
                std::find(names.begin(), names.end(), element.properties[p].name) != names.end())
                return p;
        return std::nullopt;
    };
    const auto corners = find(true, {"vertex_indices", "vertex_index"});
    if (!corners) throw FileError(path.string() + " has faces without vertex_indices; export it again with faces.");
    return {*corners, find(true, {"texcoord"}), find(false, {"texnumber"})};
}

VertexLayout layoutOf(const std::filesystem::path& path, const Element& element) {
    VertexLayout layout;
    for (std::size_t p = 0; p < element.properties.size(); ++p) {
        const Property& property = element.properties[p];
        if (property.isList) continue;
        const auto fill = [&](int* slots, std::initializer_list<std::string_view> names) {
            // Names come in rows of as many as there are slots: x y z, or s t, u v …
            const auto found = std::find(names.begin(), names.end(), property.name);
            if (found == names.end()) return false;
            const std::size_t width = slots == layout.uv ? 2 : slots == layout.color ? 4 : 3;
            slots[std::size_t(found - names.begin()) % width] = int(p);
            return true;
        };
        fill(layout.position, {"x", "y", "z"});
        fill(layout.normal, {"nx", "ny", "nz"});
        fill(layout.uv, {"s", "t", "u", "v", "texture_u", "texture_v"});
        if (fill(layout.color, {"red", "green", "blue", "alpha", "r", "g", "b", "a"}))
            layout.colorIsFloat = property.type == Type::Float32 || property.type == Type::Float64;
    }
    if (!VertexLayout::whole(layout.position, 3))
        throw FileError(path.string() + " has vertices without x, y and z; export it again with positions.");
    return layout;
}

}  // namespace um::ply
