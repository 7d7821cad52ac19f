#include "base/Error.h"
#include "base/File.h"
#include "base/Json.h"
#include "files/Glb.h"
#include "files/Gltf.h"
#include "files/GltfPrimitive.h"
#include "mesh/Connectivity.h"
#include "mesh/Tangents.h"

#include <algorithm>
#include <limits>
#include <map>
#include <nlohmann/json.hpp>
#include <tuple>

namespace um {
namespace {

constexpr std::uint32_t notYet = std::numeric_limits<std::uint32_t>::max();

// What is made for the whole mesh before it is cut into primitives.
struct Made {
    std::vector<Vec3f> normals;   // of vertices, where the mesh has none
    std::vector<Vec4f> tangents;  // of wedges, where they are wanted
};

GltfPrimitive gather(const Mesh& mesh, const Made& made, const Section& section, std::vector<std::uint32_t>& numberOf) {
    GltfPrimitive result;
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
                // Green points up in glTF's normal maps, against its v: the side is that of v running upwards.
                if (!made.tangents.empty()) result.tangents.push_back(made.tangents[w]);
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

// Materials and textures of all levels: what they share is written once.
class Shelf {
public:
    /// @returns the number in the file of each of a level's materials
    std::vector<std::size_t> put(const Mesh& mesh, GltfBuffer& buffer, Json& json) {
        std::vector<int> textures;
        for (const Texture& texture : mesh.textures) textures.push_back(put(texture, buffer, json));
        std::vector<std::size_t> numbers;
        for (Material material : mesh.materials) {
            forTextureUses(material, [&](TextureUse& use) {
                if (use) use.texture = textures[std::size_t(use.texture)];
            });
            const Json one = materialJson(material);
            Json& list = json["materials"];
            const auto same = std::find(list.begin(), list.end(), one);
            numbers.push_back(std::size_t(same - list.begin()));
            if (same == list.end()) list.push_back(one);
        }
        return numbers;
    }

private:
    // The image as it came, with a sampler of its own.
    int put(const Texture& texture, GltfBuffer& buffer, Json& json) {
        const auto key = std::tuple(static_cast<const void*>(texture.bytes.get()), texture.wrapU, texture.wrapV);
        const auto [place, isNew] = m_numbers.try_emplace(key, int(m_numbers.size()));
        if (!isNew) return place->second;
        const auto wrapCode = [](Texture::Wrap wrap) {
            return wrap == Texture::Wrap::Clamp ? 33071 : wrap == Texture::Wrap::Mirror ? 33648 : 10497;
        };
        json["images"].push_back(
            {{"name", texture.name},
             {"mimeType", texture.mimeType},
             {"bufferView", buffer.addBytes(texture.bytes->data(), texture.bytes->size(), gltf::noTarget)}});
        json["samplers"].push_back({{"wrapS", wrapCode(texture.wrapU)}, {"wrapT", wrapCode(texture.wrapV)}});
        json["textures"].push_back({{"source", place->second}, {"sampler", place->second}});
        return place->second;
    }

    static Json materialJson(const Material& material);

    std::map<std::tuple<const void*, Texture::Wrap, Texture::Wrap>, int> m_numbers;
};

Json Shelf::materialJson(const Material& material) {
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
    if (material.alpha == Material::Alpha::Blend) json["alphaMode"] = "BLEND";
    if (material.alpha == Material::Alpha::Mask) {
        json["alphaMode"] = "MASK";
        json["alphaCutoff"] = material.alphaCutoff;
    }
    if (material.doubleSided) json["doubleSided"] = true;
    return json;
}

std::array<float, 16> inMetres(std::array<float, 16> matrix, double metresPerUnit) {
    for (std::size_t i = 12; i < 15; ++i) matrix[i] = float(matrix[i] * metresPerUnit);
    return matrix;
}

// The joints as nodes, and the skin that names them.
void addSkeleton(const Mesh& mesh, GltfBuffer& buffer, Json& json) {
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
    json["skins"] = {
        {{"joints", joints}, {"inverseBindMatrices", buffer.add(binds, "MAT4", gltf::floatType, gltf::noTarget)}}};
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

// A level as it goes into the file.
struct LevelNodes {
    std::vector<std::size_t> nodes;
    bool isSkinned = false;
};

Json gridNode(const GltfGrid& grid) {
    return {{"translation", {grid.middle.x(), grid.middle.y(), grid.middle.z()}},
            {"scale", {grid.halfSize, grid.halfSize, grid.halfSize}}};
}

GltfGrid gridOf(const Mesh& mesh) {
    const Box3f box = boundingBox(mesh);
    GltfGrid grid;
    const auto metres = float(mesh.metresPerUnit);
    if (box.isEmpty()) return grid;
    grid.middle = box.center() * metres;
    grid.halfSize = std::max(0.5f * box.sizes().maxCoeff() * metres, 1e-30f);
    return grid;
}

// Vertices that follow no joint stay where they are with the first one.
void followTheRoot(GltfPrimitive& primitive) {
    for (std::array<float, 4>& weights : primitive.weights)
        if (!(weights[0] + weights[1] + weights[2] + weights[3] > 0)) weights = {1, 0, 0, 0};
}

// The parts of a mesh as nodes; or all of it as one, where it is skinned and has to change as a whole: a skinned node
// stands at the root, so that no other can hold several of them.
LevelNodes addParts(const Mesh& mesh, GltfPacking packing, bool asOne, Shelf& shelf, GltfBuffer& buffer, Json& json,
                    const Progress& progress) {
    Made made;
    if (mesh.normals.empty())
        made.normals = vertexNormals(mesh, findVertexTriangles(mesh.triangles, mesh.vertexCount()));
    if (mesh.wantsTangents && !mesh.uvs.empty() && !mesh.normals.empty()) {
        if (hasMirroredWedges(mesh)) {
            Mesh parted = mesh;
            partMirroredWedges(parted);
            return addParts(parted, packing, asOne, shelf, buffer, json, progress);
        }
        made.tangents = makeTangents(mesh);
    }
    const std::vector<std::size_t> materials = shelf.put(mesh, buffer, json);
    GltfPrimitiveStyle style{packing, false, gridOf(mesh)};
    // What follows joints, or blends, has its places from elsewhere than its node.
    style.onGrid = packing == GltfPacking::Quantised && mesh.influences.empty() && mesh.morphs.empty();
    std::vector<std::uint32_t> numberOf(std::max(mesh.wedgeCount(), mesh.vertexCount()), notYet);
    std::vector<Json> primitives(mesh.parts.size(), Json::array());
    std::vector<bool> skinnedParts(mesh.parts.size(), false);
    Json morphNames = Json::array();
    for (const Morph& morph : mesh.morphs) morphNames.push_back(morph.name);
    for (const Section& section : mesh.sections) {
        progress.at(double(section.firstTriangle) / double(mesh.triangleCount()));
        if (section.triangleCount == 0) continue;
        GltfPrimitive primitive = gather(mesh, made, section, numberOf);
        const bool skinned = !mesh.influences.empty() && (asOne || primitive.isSkinned());
        if (skinned) followTheRoot(primitive);
        const std::size_t part = asOne ? 0 : section.part;
        skinnedParts[part] = skinnedParts[part] || skinned;
        Json one = addPrimitive(buffer, primitive, skinned, style);
        one["material"] = materials[section.material];
        primitives[part].push_back(one);
    }
    LevelNodes result;
    for (std::size_t part = 0; part < mesh.parts.size(); ++part) {
        if (primitives[part].empty()) continue;
        result.nodes.push_back(json["nodes"].size());
        Json node = style.onGrid ? gridNode(style.grid) : Json::object();
        node["name"] = mesh.parts[part].name;
        node["mesh"] = json["meshes"].size();
        if (skinnedParts[part]) node["skin"] = 0;
        result.isSkinned = result.isSkinned || skinnedParts[part];
        json["nodes"].push_back(node);
        Json meshJson = {{"name", mesh.parts[part].name}, {"primitives", primitives[part]}};
        if (!mesh.morphs.empty()) {
            meshJson["weights"] = std::vector<float>(mesh.morphs.size(), 0.0f);
            meshJson["extras"] = {{"targetNames", morphNames}};
        }
        json["meshes"].push_back(meshJson);
    }
    return result;
}

// The scene with all levels, the finest as what is seen.
void addLevels(const std::vector<const Mesh*>& levels, const std::vector<double>& screenSizes, GltfPacking packing,
               GltfBuffer& buffer, Json& json, const Progress& progress) {
    Shelf shelf;
    bool skinned = false;
    Json others = Json::array();
    std::size_t root = 0;
    const bool asOne = levels.size() > 1 && !levels.front()->influences.empty();
    for (std::size_t i = 0; i < levels.size(); ++i) {
        const double share = 1 / double(levels.size());
        const LevelNodes added = addParts(*levels[i], packing, asOne, shelf, buffer, json,
                                          progress.span(share * double(i), share * double(i + 1)));
        skinned = skinned || added.isSkinned;
        if (levels.size() == 1) {
            for (const std::size_t node : added.nodes) json["scenes"][0]["nodes"].push_back(node);
            continue;
        }
        // Each level's parts under one node, so that they change together.
        std::size_t holder = json["nodes"].size();
        const std::string name = "LOD " + std::to_string(i);
        if (asOne) {
            holder = added.nodes.front();
            json["nodes"][holder]["name"] = name;
        } else {
            json["nodes"].push_back({{"name", name}, {"children", added.nodes}});
        }
        if (i == 0) {
            root = holder;
            json["scenes"][0]["nodes"].push_back(root);
        } else {
            others.push_back(holder);
        }
    }
    if (!others.empty()) {
        json["extensionsUsed"].push_back("MSFT_lod");
        json["nodes"][root]["extensions"] = {{"MSFT_lod", {{"ids", others}}}};
        json["nodes"][root]["extras"] = {{"MSFT_screencoverage", screenSizes}};
    }
    if (skinned) addSkeleton(*levels.front(), buffer, json);
}

bool uses(const Json& json, const char* extension) {
    for (const Json& mesh : json["meshes"])
        for (const Json& primitive : mesh["primitives"])
            if (primitive.contains("extensions") && primitive["extensions"].contains(extension)) return true;
    return false;
}

}  // namespace

std::string gltfOf(const std::vector<const Mesh*>& levels, const std::vector<double>& screenSizes, bool binary,
                   GltfPacking packing, const Progress& progress) {
    Json json;
    json["asset"] = {{"version", "2.0"}, {"generator", "Understated Mesh"}};
    json["scene"] = 0;
    json["scenes"] = {{{"nodes", Json::array()}}};
    for (const char* list : {"nodes", "meshes", "materials", "accessors", "bufferViews"}) json[list] = Json::array();
    GltfBuffer buffer(json);
    addLevels(levels, screenSizes, packing, buffer, json, progress.span(0, 0.9));
    if (packing == GltfPacking::Quantised) json["extensionsRequired"].push_back("KHR_mesh_quantization");
    if (uses(json, "KHR_draco_mesh_compression")) json["extensionsRequired"].push_back("KHR_draco_mesh_compression");
    if (json.contains("extensionsRequired"))
        for (const Json& name : json["extensionsRequired"]) json["extensionsUsed"].push_back(name);
    if (buffer.bytes().size() > 0xf0000000u)
        throw FileError("The file would exceed the 4 GiB that a GLB may have; write a PLY instead.");
    json["buffers"] = {{{"byteLength", buffer.bytes().size()}}};
    progress.at(1);
    // Names may hold what is no UTF-8.
    if (binary)
        return glbOf(json.dump(-1, ' ', false, Json::error_handler_t::replace),
                     {buffer.bytes().data(), buffer.bytes().size()});
    json["buffers"][0]["uri"] = "data:application/octet-stream;base64," + base64(buffer.bytes());
    return json.dump(1, ' ', false, Json::error_handler_t::replace);
}

void writeGltf(const Mesh& mesh, const std::filesystem::path& path, bool binary, const Progress& progress) {
    writeGltfLevels({&mesh}, {}, path, binary, GltfPacking::None, progress);
}

void writeGltfLevels(const std::vector<const Mesh*>& levels, const std::vector<double>& screenSizes,
                     const std::filesystem::path& path, bool binary, GltfPacking packing, const Progress& progress) {
    const std::string file = gltfOf(levels, screenSizes, binary, packing, progress.span(0, 0.8));
    writeWhole(path, [&](FileWriter& writer) {
        writer.write(file);
        progress.at(1);
    });
}

}  // namespace um
