#include "files/GltfUnpack.h"

#include "base/Error.h"
#include "base/File.h"
#include "files/Glb.h"
#include "files/GltfBuffer.h"
#include "files/Text.h"

#include <draco/compression/decode.h>
#include <draco/mesh/mesh.h>
#include <tiny_gltf.h>
#include <map>
#include <nlohmann/json.hpp>

namespace um {
namespace {

constexpr const char* dracoExtension = "KHR_draco_mesh_compression";

class Unpacker {
public:
    Unpacker(const std::filesystem::path& path, std::string_view json, std::optional<std::string_view> binary)
        : m_path(path), m_json(Json::parse(json)), m_hasBlock(binary.has_value()), m_bytes(binary.value_or("")) {}

    bool isCompressed() const {
        if (!m_json.contains("meshes")) return false;
        for (const Json& mesh : m_json["meshes"])
            for (const Json& primitive : mesh.at("primitives"))
                if (isCompressed(primitive)) return true;
        return false;
    }

    std::string unpack() {
        makeRoom();
        for (Json& mesh : m_json.at("meshes"))
            for (Json& primitive : mesh.at("primitives"))
                if (isCompressed(primitive)) unpack(primitive);
        for (const char* list : {"extensionsRequired", "extensionsUsed"})
            if (m_json.contains(list)) {
                Json left = Json::array();
                for (const Json& name : m_json[list])
                    if (name != dracoExtension) left.push_back(name);
                m_json[list] = left;
            }
        m_json.at("buffers").at(0)["byteLength"] = m_bytes.size();
        return glbOf(m_json.dump(-1, ' ', false, Json::error_handler_t::replace), m_bytes);
    }

private:
    [[noreturn]] void fail() const {
        throw FileError(m_path.string() + " has a compressed part that is damaged; export or copy it again.");
    }

    static bool isCompressed(const Json& primitive) {
        return primitive.contains("extensions") && primitive["extensions"].contains(dracoExtension);
    }

    // Unpacked bytes go into the first buffer, which in a GLB is the binary chunk.
    void makeRoom() {
        Json& buffers = m_json.at("buffers");
        if (m_hasBlock && !buffers.at(0).contains("uri")) return;
        buffers.insert(buffers.begin(), Json{{"byteLength", 0}});
        for (Json& view : m_json.at("bufferViews")) view["buffer"] = view.at("buffer").get<std::size_t>() + 1;
    }

    void unpack(Json& primitive) {
        const Json packed = primitive["extensions"][dracoExtension];
        primitive["extensions"].erase(dracoExtension);
        const Json& view = m_json.at("bufferViews").at(packed.at("bufferView").get<std::size_t>());
        const std::size_t offset = view.value("byteOffset", std::size_t(0)), length = view.at("byteLength");
        const std::string& bytes = bytesOf(view.at("buffer"));
        if (offset > bytes.size() || length > bytes.size() - offset) fail();
        draco::DecoderBuffer buffer;
        // The decoder reads while more bytes are put behind these.
        const std::string own = bytes.substr(offset, length);
        buffer.Init(own.data(), own.size());
        auto decoded = draco::Decoder().DecodeMeshFromBuffer(&buffer);
        if (!decoded.ok()) fail();
        const draco::Mesh& mesh = *decoded.value();
        for (const auto& [name, number] : packed.at("attributes").items()) {
            const draco::PointAttribute* attribute = mesh.GetAttributeByUniqueId(number.get<std::uint32_t>());
            if (attribute == nullptr) fail();
            putAttribute(primitive.at("attributes").at(name).get<std::size_t>(), *attribute, mesh.num_points());
        }
        std::vector<std::uint32_t> corners;
        corners.reserve(3 * std::size_t(mesh.num_faces()));
        for (draco::FaceIndex f(0); f < mesh.num_faces(); ++f)
            for (const draco::PointIndex& point : mesh.face(f)) corners.push_back(point.value());
        if (!primitive.contains("indices")) fail();
        put(primitive["indices"].get<std::size_t>(), corners.data(), 4 * corners.size(), corners.size(),
            gltf::unsignedIntType);
    }

    const std::string& bytesOf(std::size_t buffer) {
        if (buffer == 0) return m_bytes;
        const auto [entry, isNew] = m_loaded.try_emplace(buffer);
        if (!isNew) return entry->second;
        const std::string uri = m_json.at("buffers").at(buffer).at("uri");
        if (uri.starts_with("data:")) {
            std::vector<unsigned char> bytes;
            std::string type;
            if (!tinygltf::DecodeDataURI(&bytes, type, uri, 0, false)) fail();
            entry->second.assign(bytes.begin(), bytes.end());
        } else {
            entry->second = MappedFile(m_path.parent_path() / nameOfUri(uri)).text();
        }
        return entry->second;
    }

    void putAttribute(std::size_t accessor, const draco::PointAttribute& attribute, std::uint32_t points) {
        const int type = m_json.at("accessors").at(accessor).at("componentType");
        if (type == TINYGLTF_COMPONENT_TYPE_BYTE)
            putValues<std::int8_t>(accessor, attribute, points, type);
        else if (type == TINYGLTF_COMPONENT_TYPE_SHORT)
            putValues<std::int16_t>(accessor, attribute, points, type);
        else if (type == gltf::unsignedByteType)
            putValues<std::uint8_t>(accessor, attribute, points, type);
        else if (type == gltf::unsignedShortType)
            putValues<std::uint16_t>(accessor, attribute, points, type);
        else
            putValues<float>(accessor, attribute, points, gltf::floatType);
    }

    template <class T>
    void putValues(std::size_t accessor, const draco::PointAttribute& attribute, std::uint32_t points, int type) {
        const auto columns = std::size_t(attribute.num_components());
        std::vector<T> values(columns * points);
        for (std::uint32_t i = 0; i < points; ++i)
            if (!attribute.ConvertValue<T>(attribute.mapped_index(draco::PointIndex(i)), std::int8_t(columns),
                                           values.data() + columns * i))
                fail();
        put(accessor, values.data(), values.size() * sizeof(T), points, type);
    }

    void put(std::size_t accessor, const void* data, std::size_t size, std::size_t count, int type) {
        Json& views = m_json.at("bufferViews");
        m_bytes.resize((m_bytes.size() + 3) / 4 * 4, '\0');
        views.push_back({{"buffer", 0}, {"byteOffset", m_bytes.size()}, {"byteLength", size}});
        m_bytes.append(static_cast<const char*>(data), size);
        Json& json = m_json.at("accessors").at(accessor);
        json["bufferView"] = views.size() - 1;
        json["byteOffset"] = 0;
        json["count"] = count;
        json["componentType"] = type;
    }

    const std::filesystem::path& m_path;
    Json m_json;
    bool m_hasBlock;      // whether the file is a GLB
    std::string m_bytes;  // of the first buffer
    std::map<std::size_t, std::string> m_loaded;
};

}  // namespace

std::optional<std::string> withoutDraco(const std::filesystem::path& path, std::string_view text) {
    const bool isBinary = text.starts_with("glTF");
    const auto chunks = isBinary ? chunksOfGlb(text) : std::nullopt;
    // What is cut off is said by the reader.
    if (isBinary && !chunks) return std::nullopt;
    const std::string_view json = chunks ? chunks->json : text;
    // A file may name the extension although no primitive uses it.
    if (json.find(dracoExtension) == std::string_view::npos || !Json::accept(json)) return std::nullopt;
    try {
        Unpacker unpacker(path, json, chunks ? std::optional(chunks->bytes) : std::nullopt);
        if (!unpacker.isCompressed()) return std::nullopt;
        return unpacker.unpack();
    } catch (const Json::exception&) {
        throw FileError(path.string() + " is no valid glTF: its compressed parts are not described; export it again.");
    }
}

}  // namespace um
