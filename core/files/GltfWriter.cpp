#include "base/Error.h"
#include "base/File.h"
#include "files/Gltf.h"
#include "mesh/Connectivity.h"
#include "mesh/Tangents.h"

#include <algorithm>
#include <limits>
#include <nlohmann/json.hpp>

namespace um {
namespace {

using Json = nlohmann::ordered_json;

constexpr int floatType = 5126;
constexpr int byteType = 5121;
constexpr int shortType = 5123;
constexpr int indexType = 5125;
constexpr int noTarget = 0;
constexpr int arrayTarget = 34962;
constexpr int elementTarget = 34963;

// The binary buffer and the JSON that describes it, growing together.
class Buffer {
public:
    explicit Buffer(Json& json) : m_json(json) {}

    /// @returns the number of the view of these bytes
    int addBytes(const void* bytes, std::size_t size, int target) {
        const std::size_t offset = m_bytes.size();
        m_bytes.resize((offset + size + 3) / 4 * 4, 0);
        std::memcpy(m_bytes.data() + offset, bytes, size);
        Json view = {{"buffer", 0}, {"byteOffset", offset}, {"byteLength", size}};
        if (target != noTarget) view["target"] = target;
        m_json["bufferViews"].push_back(view);
        return int(m_json["bufferViews"].size()) - 1;
    }

    /// @returns the number of the accessor to these values
    template <class T>
    int add(const std::vector<T>& values, const char* type, int componentType, int target, bool normalized = false) {
        Json accessor = {{"bufferView", addBytes(values.data(), values.size() * sizeof(T), target)},
                         {"componentType", componentType},
                         {"count", std::is_same_v<T, Triangle> ? 3 * values.size() : values.size()},
                         {"type", type}};
        if (normalized) accessor["normalized"] = true;
        m_json["accessors"].push_back(accessor);
        return int(m_json["accessors"].size()) - 1;
    }

    const std::vector<char>& bytes() const { return m_bytes; }

private:
    Json& m_json;
    std::vector<char> m_bytes;
};

constexpr std::uint32_t notYet = std::numeric_limits<std::uint32_t>::max();

// The arrays of one primitive: the wedges of a section, numbered in the order in which its triangles use them.
struct Primitive {
    std::vector<Vec3f> positions, normals;
    std::vector<Vec4f> tangents;
    std::vector<Vec2f> uvs, secondUvs;
    std::vector<Color> colors;
    std::vector<std::array<std::uint16_t, 4>> joints;
    std::vector<std::array<float, 4>> weights;
    std::vector<std::vector<Vec3f>> offsets;  // of each morph
    std::vector<Triangle> triangles;
};

// What is made for the whole mesh before it is cut into primitives.
struct Made {
    std::vector<Vec3f> normals;   // of vertices, where the mesh has none
    std::vector<Vec4f> tangents;  // of wedges, where they are wanted
};

Primitive gather(const Mesh& mesh, const Made& made, const Section& section, std::vector<std::uint32_t>& numberOf) {
    Primitive result;
    result.offsets.resize(mesh.morphs.size());
    std::vector<std::uint32_t> used;
    const auto scale = float(mesh.metresPerUnit);
    for (std::uint32_t i = 0; i < section.triangleCount; ++i) {
        const TriangleId t = section.firstTriangle + i;
        const Triangle& wedges = mesh.wedgesOf(t);
        Triangle triangle;
        for (std::size_t corner = 0; corner < 3; ++corner) {
            const WedgeId w = wedges[corner];
            const VertexId v = mesh.triangles[t][corner];
            if (numberOf[w] == notYet) {
                numberOf[w] = std::uint32_t(result.positions.size());
                used.push_back(w);
                result.positions.push_back(mesh.positions[v] * scale);
                Vec3f normal = mesh.normals.empty() ? made.normals[v] : mesh.normals[w];
                if (normal.isZero()) normal = Vec3f(0, 1, 0);
                result.normals.push_back(normal);
                if (!mesh.uvs.empty()) result.uvs.emplace_back(mesh.uvs[w].x(), 1.0f - mesh.uvs[w].y());
                if (!mesh.secondUvs.empty())
                    result.secondUvs.emplace_back(mesh.secondUvs[w].x(), 1.0f - mesh.secondUvs[w].y());
                // v runs downwards in glTF, so the other side is the positive one.
                if (!made.tangents.empty())
                    result.tangents.push_back(made.tangents[w].cwiseProduct(Vec4f(1, 1, 1, -1)));
                if (!mesh.colors.empty()) result.colors.push_back(mesh.colors[w]);
                if (!mesh.influences.empty()) {
                    result.joints.push_back(mesh.influences[v].joints);
                    result.weights.push_back(mesh.influences[v].weights);
                }
                for (std::size_t m = 0; m < mesh.morphs.size(); ++m)
                    result.offsets[m].push_back(mesh.morphs[m].offsets[v] * scale);
            }
            triangle[corner] = numberOf[w];
        }
        result.triangles.push_back(triangle);
    }
    for (const WedgeId w : used) numberOf[w] = notYet;
    return result;
}

Json materialJson(const Material& material) {
    Json json = {{"name", material.name},
                 {"pbrMetallicRoughness",
                  {{"baseColorFactor", material.baseColor},
                   {"metallicFactor", material.metallic},
                   {"roughnessFactor", material.roughness}}}};
    const auto use = [](Json& place, const char* name, const TextureUse& from, const char* strengthName) {
        if (!from) return;
        place[name] = {{"index", from.texture}};
        if (from.second) place[name]["texCoord"] = 1;
        if (strengthName != nullptr && from.strength != 1) place[name][strengthName] = from.strength;
    };
    use(json["pbrMetallicRoughness"], "baseColorTexture", material.baseColorTexture, nullptr);
    use(json["pbrMetallicRoughness"], "metallicRoughnessTexture", material.metallicRoughnessTexture, nullptr);
    use(json, "normalTexture", material.normalTexture, "scale");
    use(json, "occlusionTexture", material.occlusionTexture, "strength");
    use(json, "emissiveTexture", material.emissionTexture, nullptr);
    if (material.emission != std::array<float, 3>{0, 0, 0}) json["emissiveFactor"] = material.emission;
    if (material.baseColor[3] < 1) json["alphaMode"] = "BLEND";
    if (material.doubleSided) json["doubleSided"] = true;
    return json;
}

// The images as they came, each with a sampler of its own.
void addTextures(const Mesh& mesh, Buffer& buffer, Json& json) {
    const auto wrapCode = [](Texture::Wrap wrap) {
        return wrap == Texture::Wrap::Clamp ? 33071 : wrap == Texture::Wrap::Mirror ? 33648 : 10497;
    };
    for (const Texture& texture : mesh.textures) {
        const std::size_t number = json["textures"].size();
        json["images"].push_back(
            {{"name", texture.name},
             {"mimeType", texture.mimeType},
             {"bufferView", buffer.addBytes(texture.bytes->data(), texture.bytes->size(), noTarget)}});
        json["samplers"].push_back({{"wrapS", wrapCode(texture.wrapU)}, {"wrapT", wrapCode(texture.wrapV)}});
        json["textures"].push_back({{"source", number}, {"sampler", number}});
    }
}

// Positions, or offsets from them, with the box that the format asks for.
int addPlaces(Buffer& buffer, const std::vector<Vec3f>& places, Json& json) {
    const int accessor = buffer.add(places, "VEC3", floatType, arrayTarget);
    Box3f box;
    for (const Vec3f& p : places) box.extend(p);
    json["accessors"][std::size_t(accessor)]["min"] = {box.min().x(), box.min().y(), box.min().z()};
    json["accessors"][std::size_t(accessor)]["max"] = {box.max().x(), box.max().y(), box.max().z()};
    return accessor;
}

// Whether any vertex follows a joint. Where none does, the primitive is not skinned.
bool isSkinned(const Primitive& primitive) {
    return std::any_of(primitive.weights.begin(), primitive.weights.end(),
                       [](const std::array<float, 4>& weights) { return weights[0] > 0; });
}

Json primitiveJson(Buffer& buffer, const Primitive& primitive, bool skinned, std::uint32_t material, Json& json) {
    Json attributes;
    attributes["POSITION"] = addPlaces(buffer, primitive.positions, json);
    attributes["NORMAL"] = buffer.add(primitive.normals, "VEC3", floatType, arrayTarget);
    if (!primitive.tangents.empty())
        attributes["TANGENT"] = buffer.add(primitive.tangents, "VEC4", floatType, arrayTarget);
    if (!primitive.uvs.empty()) attributes["TEXCOORD_0"] = buffer.add(primitive.uvs, "VEC2", floatType, arrayTarget);
    if (!primitive.secondUvs.empty())
        attributes[primitive.uvs.empty() ? "TEXCOORD_0" : "TEXCOORD_1"] =
            buffer.add(primitive.secondUvs, "VEC2", floatType, arrayTarget);
    if (!primitive.colors.empty())
        attributes["COLOR_0"] = buffer.add(primitive.colors, "VEC4", byteType, arrayTarget, true);
    if (skinned) {
        attributes["JOINTS_0"] = buffer.add(primitive.joints, "VEC4", shortType, arrayTarget);
        attributes["WEIGHTS_0"] = buffer.add(primitive.weights, "VEC4", floatType, arrayTarget);
    }
    Json result = {{"attributes", attributes},
                   {"indices", buffer.add(primitive.triangles, "SCALAR", indexType, elementTarget)},
                   {"material", material}};
    for (const std::vector<Vec3f>& offsets : primitive.offsets)
        result["targets"].push_back({{"POSITION", addPlaces(buffer, offsets, json)}});
    return result;
}

std::array<float, 16> inMetres(std::array<float, 16> matrix, double metresPerUnit) {
    for (std::size_t i = 12; i < 15; ++i) matrix[i] = float(matrix[i] * metresPerUnit);
    return matrix;
}

// The joints as nodes, and the skin that names them.
void addSkeleton(const Mesh& mesh, Buffer& buffer, Json& json) {
    const std::size_t first = json["nodes"].size();
    std::vector<std::array<float, 16>> binds;
    Json joints = Json::array();
    for (std::size_t j = 0; j < mesh.skeleton.size(); ++j) {
        const Joint& joint = mesh.skeleton[j];
        json["nodes"].push_back({{"name", joint.name}, {"matrix", inMetres(joint.local, mesh.metresPerUnit)}});
        joints.push_back(first + j);
        binds.push_back(inMetres(joint.inverseBind, mesh.metresPerUnit));
    }
    for (std::size_t j = 0; j < mesh.skeleton.size(); ++j) {
        const int parent = mesh.skeleton[j].parent;
        if (parent >= 0)
            json["nodes"][first + std::size_t(parent)]["children"].push_back(first + j);
        else
            json["scenes"][0]["nodes"].push_back(first + j);
    }
    json["skins"] = {{{"joints", joints}, {"inverseBindMatrices", buffer.add(binds, "MAT4", floatType, noTarget)}}};
}

std::string base64(const std::vector<char>& bytes) {
    static constexpr char digits[] = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";
    std::string text;
    text.reserve((bytes.size() + 2) / 3 * 4);
    for (std::size_t i = 0; i < bytes.size(); i += 3) {
        std::uint32_t group = 0;
        for (std::size_t k = 0; k < 3; ++k)
            group = group << 8 | (i + k < bytes.size() ? std::uint8_t(bytes[i + k]) : 0u);
        for (std::size_t k = 0; k < 4; ++k) text += i + k <= bytes.size() ? digits[group >> (18 - 6 * k) & 63] : '=';
    }
    return text;
}

void writeGlb(FileWriter& writer, std::string json, const std::vector<char>& bytes) {
    json.resize((json.size() + 3) / 4 * 4, ' ');
    const std::uint32_t header[5] = {0x46546c67, 2, std::uint32_t(12 + 8 + json.size() + 8 + bytes.size()),
                                     std::uint32_t(json.size()), 0x4e4f534a};
    const std::uint32_t binaryHeader[2] = {std::uint32_t(bytes.size()), 0x004e4942};
    writer.write(header, sizeof header);
    writer.write(json);
    writer.write(binaryHeader, sizeof binaryHeader);
    writer.write(bytes.data(), bytes.size());
}

// The parts of a mesh as nodes. @returns their numbers, and whether any follows the skeleton
std::pair<std::vector<std::size_t>, bool> addParts(const Mesh& mesh, Buffer& buffer, Json& json,
                                                   const Progress& progress) {
    Made made;
    if (mesh.normals.empty())
        made.normals = vertexNormals(mesh, findVertexTriangles(mesh.triangles, mesh.vertexCount()));
    if (mesh.wantsTangents && !mesh.uvs.empty() && !mesh.normals.empty()) made.tangents = makeTangents(mesh);
    std::vector<std::uint32_t> numberOf(std::max(mesh.wedgeCount(), mesh.vertexCount()), notYet);
    std::vector<Json> primitives(mesh.parts.size(), Json::array());
    std::vector<bool> skinnedParts(mesh.parts.size(), false);
    Json morphNames = Json::array();
    for (const Morph& morph : mesh.morphs) morphNames.push_back(morph.name);
    for (const Section& section : mesh.sections) {
        progress.at(double(section.firstTriangle) / double(mesh.triangleCount()));
        if (section.triangleCount == 0) continue;
        const Primitive primitive = gather(mesh, made, section, numberOf);
        const bool skinned = isSkinned(primitive);
        skinnedParts[section.part] = skinnedParts[section.part] || skinned;
        primitives[section.part].push_back(primitiveJson(buffer, primitive, skinned, section.material, json));
    }
    std::vector<std::size_t> nodes;
    for (std::size_t part = 0; part < mesh.parts.size(); ++part) {
        if (primitives[part].empty()) continue;
        nodes.push_back(json["nodes"].size());
        Json node = {{"name", mesh.parts[part].name}, {"mesh", json["meshes"].size()}};
        if (skinnedParts[part]) node["skin"] = 0;
        json["nodes"].push_back(node);
        Json meshJson = {{"name", mesh.parts[part].name}, {"primitives", primitives[part]}};
        if (!mesh.morphs.empty()) {
            meshJson["weights"] = std::vector<float>(mesh.morphs.size(), 0.0f);
            meshJson["extras"] = {{"targetNames", morphNames}};
        }
        json["meshes"].push_back(meshJson);
    }
    return {nodes, std::find(skinnedParts.begin(), skinnedParts.end(), true) != skinnedParts.end()};
}

}  // namespace

void writeGltf(const Mesh& mesh, const std::filesystem::path& path, bool binary, const Progress& progress) {
    writeGltfLevels({&mesh}, {}, path, binary, progress);
}

void writeGltfLevels(const std::vector<const Mesh*>& levels, const std::vector<double>& screenSizes,
                     const std::filesystem::path& path, bool binary, const Progress& progress) {
    const Mesh& first = *levels.front();
    Json json;
    json["asset"] = {{"version", "2.0"}, {"generator", "Understated Mesh"}};
    json["scene"] = 0;
    json["scenes"] = {{{"nodes", Json::array()}}};
    for (const char* list : {"nodes", "meshes", "materials", "accessors", "bufferViews"}) json[list] = Json::array();
    for (const Material& material : first.materials) json["materials"].push_back(materialJson(material));
    Buffer buffer(json);
    bool skinned = false;
    Json others = Json::array();
    std::size_t root = 0;
    for (std::size_t i = 0; i < levels.size(); ++i) {
        if (levels[i]->materials.size() != first.materials.size())
            throw MeshError("The levels have different materials; write them into files of their own.");
        const double share = 0.8 / double(levels.size());
        const auto [nodes, follows] =
            addParts(*levels[i], buffer, json, progress.span(share * double(i), share * double(i + 1)));
        skinned = skinned || follows;
        if (levels.size() == 1) {
            for (const std::size_t node : nodes) json["scenes"][0]["nodes"].push_back(node);
            continue;
        }
        // Each level's parts under one node, so that they change together.
        const std::size_t holder = json["nodes"].size();
        json["nodes"].push_back({{"name", "LOD " + std::to_string(i)}, {"children", nodes}});
        if (i == 0) {
            root = holder;
            json["scenes"][0]["nodes"].push_back(root);
        } else {
            others.push_back(holder);
        }
    }
    if (!others.empty()) {
        json["extensionsUsed"] = {"MSFT_lod"};
        json["nodes"][root]["extensions"] = {{"MSFT_lod", {{"ids", others}}}};
        json["nodes"][root]["extras"] = {{"MSFT_screencoverage", screenSizes}};
    }
    if (skinned) addSkeleton(first, buffer, json);
    addTextures(first, buffer, json);
    if (buffer.bytes().size() > 0xf0000000u)
        throw FileError(path.string() + " would exceed the 4 GiB that a GLB may have; write a PLY instead.");
    json["buffers"] = {{{"byteLength", buffer.bytes().size()}}};
    progress.at(0.8);
    writeWhole(path, [&](FileWriter& writer) {
        if (binary) {
            writeGlb(writer, json.dump(), buffer.bytes());
        } else {
            json["buffers"][0]["uri"] = "data:application/octet-stream;base64," + base64(buffer.bytes());
            writer.write(json.dump(1));
        }
        progress.at(1);
    });
}

}  // namespace um
