#include "base/Error.h"
#include "base/Parallel.h"
#include "base/Units.h"
#include "files/Gltf.h"
#include "files/GltfTextures.h"
#include "files/GltfUnpack.h"
#include "files/Text.h"
#include "mesh/Connectivity.h"
#include "mesh/Weld.h"

#include <bit>
#include <map>
#include <nlohmann/json.hpp>
#include <optional>
#include <set>

namespace um {
namespace {

// Extensions that only change how things look or compress nothing; any other required one hides geometry from us.
const std::set<std::string> harmlessExtensions = {"KHR_mesh_quantization",      "KHR_materials_unlit",
                                                  "KHR_texture_transform",      "KHR_materials_emissive_strength",
                                                  "KHR_materials_transmission", "KHR_lights_punctual"};

// The file that a buffer or image lies in; empty where it lies in this one.
std::filesystem::path placeOf(const std::filesystem::path& folder, const std::string& uri) {
    return uri.empty() || uri.starts_with("data:") ? std::filesystem::path() : folder / nameOfUri(uri);
}

// One missing buffer would make the parser give up on the whole file. It is swapped for one byte, so that what lies in
// the other buffers can still be read; whatever needs the missing one is then out of range and is left out, with a
// note.
std::string withoutMissingBuffers(const std::filesystem::path& path, std::string_view text, MeshFile& result) {
    nlohmann::json json = nlohmann::json::parse(text, nullptr, false);
    if (json.is_discarded())
        throw FileError(path.string() + " is no valid glTF: its JSON is broken or cut off; export or copy it again.");
    if (!json.contains("buffers") || !json["buffers"].is_array()) return std::string(text);
    bool changed = false;
    for (nlohmann::json& buffer : json["buffers"]) {
        if (!buffer.is_object() || !buffer.contains("uri") || !buffer["uri"].is_string()) continue;
        const std::filesystem::path place = placeOf(path.parent_path(), buffer["uri"]);
        // A name that no file can have is as good as missing.
        std::error_code impossible;
        if (place.empty() || std::filesystem::exists(place, impossible)) continue;
        result.addCompanion(place);
        result.notes.push_back("The buffer " + shown(nameOfUri(buffer["uri"].get<std::string>())) +
                               " is missing beside the file; what it holds is left out.");
        buffer = {{"byteLength", 1}, {"uri", "data:application/octet-stream;base64,AA=="}};
        changed = true;
    }
    return changed ? json.dump() : std::string(text);
}

// What went wrong, how often, and what it was at first.
struct Problems {
    std::size_t count = 0;
    std::string first;

    template <class Work>
    void attempt(const Work& work) {
        try {
            work();
        } catch (const FileError& error) {
            if (count++ == 0) first = error.what();
        }
    }
};

class GltfFileReader {
public:
    GltfFileReader(const std::filesystem::path& path, MeshFile& result, const Progress& progress)
        : m_path(path), m_result(result), m_mesh(result.mesh), m_progress(progress) {}

    void read(std::string_view text);

private:
    [[noreturn]] void fail(const std::string& what) const { throw FileError(m_path.string() + ": " + what); }

    void parse(std::string_view text);
    void readMaterials();
    void visitScene();
    void visit(int node, const Mat4d& parent, std::size_t depth);
    void findWorlds(int node, const Mat4d& parent, std::size_t depth);
    void readPart(const tinygltf::Node& node, const Mat4d& world);
    std::uint32_t readSkin(int index);
    void readInfluences(const tinygltf::Primitive& primitive, std::size_t rows, int skin);
    void readMorphs(const tinygltf::Primitive& primitive, const tinygltf::Mesh& mesh, std::size_t rows,
                    const Mat4d& world);
    std::uint64_t movementKey(std::size_t vertex) const;
    bool readPrimitive(const tinygltf::Primitive& primitive, const Mat4d& world, std::uint32_t part);
    std::vector<Triangle> readTriangles(const tinygltf::Primitive& primitive, std::size_t vertexCount);
    void weldPart(std::size_t firstPosition, std::size_t firstTriangle);
    void fillMissingNormals();

    const std::filesystem::path& m_path;
    MeshFile& m_result;
    Mesh& m_mesh;
    Progress m_progress;
    tinygltf::Model m_model;
    std::optional<GltfImages> m_images;
    GltfAccess m_data{m_model, m_path};
    std::vector<Vec3f> m_weldedPositions;
    std::vector<Run> m_runs;
    std::vector<Triangle> m_wedges;  // for each triangle, until it is known whether they are needed
    std::vector<Vec3f> m_normals;    // of each file vertex; zero where the file has none
    std::vector<Vec2f> m_uvs;
    std::vector<Vec2f> m_secondUvs;
    std::vector<Color> m_colors;
    std::vector<TextureMoves> m_moves;          // of each material
    std::vector<Influences> m_influences;       // of each file vertex
    std::vector<std::vector<Vec3f>> m_offsets;  // of each morph, for each file vertex
    std::vector<std::size_t> m_weldedFrom;      // a file vertex for each welded one
    std::vector<Mat4d> m_worlds;                // of each node
    std::map<int, std::uint32_t> m_firstJoint;  // of each skin read, in the skeleton
    bool m_anySecondUvs = false;
    bool m_moreInfluences = false;
    bool m_anyNormals = false;
    bool m_anyUvs = false;
    bool m_anyColors = false;
    std::size_t m_primitivesDone = 0;
    std::size_t m_notTriangles = 0;
    Problems m_unreadable;  // primitives
    Problems m_unfit;       // skins and blend shapes of those that were read
};

void GltfFileReader::parse(std::string_view text) {
    tinygltf::TinyGLTF parser;
    m_images.emplace(parser);
    std::string problem;
    std::string warning;
    bool fine = false;
    const std::string folder = m_path.has_parent_path() ? m_path.parent_path().string() : ".";
    if (text.starts_with("glTF")) {
        std::uint32_t stated = 0;
        if (text.size() >= 12) std::memcpy(&stated, text.data() + 8, 4);
        if (text.size() < 20 || stated > text.size())
            throw FileError(m_path.string() + " is cut off: it promises " + formatCount(stated) + " bytes but has " +
                            formatCount(text.size()) + "; export or copy it again.");
        if (text.size() > 0xffffffffu) fail("GLB files over 4 GiB are not allowed by the format; split it.");
        fine = parser.LoadBinaryFromMemory(&m_model, &problem, &warning,
                                           reinterpret_cast<const unsigned char*>(text.data()), unsigned(text.size()),
                                           folder);
    } else {
        const std::string json = withoutMissingBuffers(m_path, text, m_result);
        fine = parser.LoadASCIIFromString(&m_model, &problem, &warning, json.data(), unsigned(json.size()), folder);
    }
    if (!fine) {
        std::replace(problem.begin(), problem.end(), '\n', ' ');
        throw FileError(m_path.string() + " is no valid glTF (" + shown(problem) + "); export or copy it again.");
    }
    const auto note = [&](const auto& holders) {
        for (const auto& holder : holders)
            if (const std::filesystem::path place = placeOf(m_path.parent_path(), holder.uri); !place.empty())
                m_result.addCompanion(place);
    };
    note(m_model.buffers);
    note(m_model.images);
    for (const std::string& extension : m_model.extensionsRequired)
        if (!harmlessExtensions.contains(extension))
            fail("it needs the extension " + shown(extension) + ", which is not understood; export it without.");
}

void GltfFileReader::readMaterials() {
    for (const tinygltf::Material& from : m_model.materials) {
        Material material;
        material.name = from.name;
        const tinygltf::PbrMetallicRoughness& pbr = from.pbrMetallicRoughness;
        for (std::size_t i = 0; i < 4 && i < pbr.baseColorFactor.size(); ++i)
            material.baseColor[i] = float(pbr.baseColorFactor[i]);
        for (std::size_t i = 0; i < 3 && i < from.emissiveFactor.size(); ++i)
            material.emission[i] = float(from.emissiveFactor[i]);
        material.metallic = float(pbr.metallicFactor);
        material.roughness = float(pbr.roughnessFactor);
        material.doubleSided = from.doubleSided;
        material.alpha = from.alphaMode == "BLEND"  ? Material::Alpha::Blend
                         : from.alphaMode == "MASK" ? Material::Alpha::Mask
                                                    : Material::Alpha::Opaque;
        material.alphaCutoff = float(from.alphaCutoff);
        m_moves.push_back(textureMoves(from));
        m_mesh.materials.push_back(material);
    }
    m_images->bring(m_model, m_result);
}

// As the material moves it, and with v running upwards, which it does not in glTF.
Vec2f uvOf(const GltfValues& values, std::size_t i, const Eigen::Affine2d& move) {
    const Vec2f uv(values.values[2 * i], values.values[2 * i + 1]);
    const Vec2f moved =
        move.isApprox(Eigen::Affine2d::Identity()) ? uv : Vec2f((move * uv.cast<double>()).cast<float>());
    return {moved.x(), 1.0f - moved.y()};
}

std::vector<Triangle> GltfFileReader::readTriangles(const tinygltf::Primitive& primitive, std::size_t vertexCount) {
    std::vector<std::uint32_t> indices;
    if (primitive.indices >= 0) {
        indices = m_data.indices(primitive.indices);
    } else {
        indices.resize(vertexCount);
        for (std::size_t i = 0; i < vertexCount; ++i) indices[i] = std::uint32_t(i);
    }
    for (const std::uint32_t index : indices)
        if (index >= vertexCount)
            fail("a triangle uses vertex number " + std::to_string(index) + ", but there are only " +
                 std::to_string(vertexCount) + "; export the file again.");
    std::vector<Triangle> triangles;
    if (primitive.mode == TINYGLTF_MODE_TRIANGLES || primitive.mode == -1) {
        for (std::size_t i = 0; i + 2 < indices.size(); i += 3)
            triangles.push_back({indices[i], indices[i + 1], indices[i + 2]});
    } else {
        const bool fan = primitive.mode == TINYGLTF_MODE_TRIANGLE_FAN;
        for (std::size_t i = 2; i < indices.size(); ++i) {
            Triangle triangle = {indices[fan ? 0 : i - 2], indices[i - 1], indices[i]};
            if (!fan && i % 2 == 1) std::swap(triangle[0], triangle[1]);
            if (triangle[0] != triangle[1] && triangle[1] != triangle[2] && triangle[2] != triangle[0])
                triangles.push_back(triangle);
        }
    }
    return triangles;
}

bool GltfFileReader::readPrimitive(const tinygltf::Primitive& primitive, const Mat4d& world, std::uint32_t part) {
    const bool triangular = primitive.mode == -1 ||
                            (primitive.mode >= TINYGLTF_MODE_TRIANGLES && primitive.mode <= TINYGLTF_MODE_TRIANGLE_FAN);
    const auto positionEntry = primitive.attributes.find("POSITION");
    if (!triangular || positionEntry == primitive.attributes.end()) {
        ++m_notTriangles;
        return false;
    }
    const GltfValues positions = m_data.values(positionEntry->second);
    if (positions.columns != 3) fail("positions must have three coordinates; export the file again.");
    const std::vector<Triangle> triangles = readTriangles(primitive, positions.rows);

    const auto optional = [&](const char* name, std::size_t columns) {
        const auto entry = primitive.attributes.find(name);
        if (entry == primitive.attributes.end()) return GltfValues{};
        GltfValues accessed = m_data.values(entry->second);
        if (accessed.rows != positions.rows || accessed.columns < columns)
            fail(std::string(name) + " does not fit the positions; export the file again.");
        return accessed;
    };
    const GltfValues normals = optional("NORMAL", 3);
    const GltfValues uvs = optional("TEXCOORD_0", 2);
    const GltfValues colors = optional("COLOR_0", 3);
    m_anyNormals = m_anyNormals || !normals.values.empty();
    m_anyUvs = m_anyUvs || !uvs.values.empty();
    m_anyColors = m_anyColors || !colors.values.empty();
    const GltfValues secondUvs = optional("TEXCOORD_1", 2);
    m_anySecondUvs = m_anySecondUvs || !secondUvs.values.empty();
    m_mesh.wantsTangents = m_mesh.wantsTangents || primitive.attributes.contains("TANGENT");
    m_moreInfluences = m_moreInfluences || primitive.attributes.contains("JOINTS_1");

    const auto first = std::uint32_t(m_mesh.positions.size());
    const std::size_t count = first + positions.rows;
    m_mesh.positions.resize(count);
    m_normals.resize(count, Vec3f(Vec3f::Zero()));
    m_uvs.resize(count, Vec2f(Vec2f::Zero()));
    m_secondUvs.resize(count, Vec2f(Vec2f::Zero()));
    m_colors.resize(count, Color{255, 255, 255, 255});
    m_influences.resize(count);
    const Eigen::Matrix3d linear = world.topLeftCorner<3, 3>();
    const Eigen::Matrix3d normalMatrix =
        std::abs(linear.determinant()) > 0 ? Eigen::Matrix3d(linear.inverse().transpose()) : linear;
    const bool isMoved = world != Mat4d::Identity();
    const bool hasMaterial = primitive.material >= 0 && std::size_t(primitive.material) < m_moves.size();
    const TextureMoves moves = hasMaterial ? m_moves[std::size_t(primitive.material)] : TextureMoves();
    parallelFor(positions.rows, [&](std::size_t i) {
        const std::size_t v = first + i;
        const float* p = &positions.values[3 * i];
        m_mesh.positions[v] = Vec3f(p[0], p[1], p[2]);
        if (isMoved)
            m_mesh.positions[v] =
                (linear * m_mesh.positions[v].cast<double>() + world.topRightCorner<3, 1>()).cast<float>();
        if (!normals.values.empty()) {
            const float* n = &normals.values[3 * i];
            const Vec3d turned = normalMatrix * Vec3d(n[0], n[1], n[2]);
            if (turned.norm() > 0) m_normals[v] = turned.normalized().cast<float>();
        }
        if (!uvs.values.empty()) m_uvs[v] = uvOf(uvs, i, moves.ofSet[0]);
        if (!secondUvs.values.empty()) m_secondUvs[v] = uvOf(secondUvs, i, moves.ofSet[1]);
        for (std::size_t c = 0; c < colors.columns && c < 4; ++c)
            m_colors[v][c] =
                std::uint8_t(std::clamp(colors.values[colors.columns * i + c] * 255.0f + 0.5f, 0.0f, 255.0f));
    });

    const bool mirrored = linear.determinant() < 0;
    m_runs.push_back(
        {m_mesh.triangles.size(), part,
         primitive.material >= 0 ? std::uint32_t(primitive.material) : std::uint32_t(m_model.materials.size())});
    for (Triangle triangle : triangles) {
        if (mirrored) std::swap(triangle[1], triangle[2]);
        for (std::uint32_t& index : triangle) index += first;
        m_mesh.triangles.push_back(triangle);
    }
    return true;
}

// The joints of a skin, appended to the skeleton once. @returns the number of the first
std::uint32_t GltfFileReader::readSkin(int index) {
    if (std::size_t(index) >= m_model.skins.size()) fail("a node names a skin that is not there; export it again.");
    if (const auto known = m_firstJoint.find(index); known != m_firstJoint.end()) return known->second;
    const tinygltf::Skin& skin = m_model.skins[std::size_t(index)];
    const auto first = std::uint32_t(m_mesh.skeleton.size());
    if (first + skin.joints.size() > 65535) fail("its skins have more than 65,535 joints; export it in pieces.");
    std::map<int, int> numberOfNode;
    for (const int node : skin.joints) {
        if (node < 0 || std::size_t(node) >= m_model.nodes.size())
            fail("a skin names a joint that is not there; export it again.");
        numberOfNode.emplace(node, int(first + numberOfNode.size()));
    }
    std::vector<int> parentOf(m_model.nodes.size(), -1);
    for (std::size_t n = 0; n < m_model.nodes.size(); ++n)
        for (const int child : m_model.nodes[n].children)
            if (child >= 0 && std::size_t(child) < parentOf.size()) parentOf[std::size_t(child)] = int(n);
    GltfValues binds;
    if (skin.inverseBindMatrices >= 0) {
        binds = m_data.values(skin.inverseBindMatrices);
        if (binds.columns != 16 || binds.rows < skin.joints.size())
            fail("the bind matrices do not fit the joints; export it again.");
    }
    const auto store = [](const Mat4d& from, std::array<float, 16>& to) {
        Eigen::Map<Mat4f>(to.data()) = from.cast<float>();
    };
    std::vector<Joint> joints;
    for (std::size_t i = 0; i < skin.joints.size(); ++i) {
        const int node = skin.joints[i];
        Joint joint;
        joint.name = m_model.nodes[std::size_t(node)].name;
        int above = parentOf[std::size_t(node)];
        for (std::size_t steps = 0; above >= 0 && !numberOfNode.contains(above); ++steps) {
            if (steps > m_model.nodes.size()) fail("its nodes contain one another in a circle; export it again.");
            above = parentOf[std::size_t(above)];
        }
        joint.parent = above >= 0 ? numberOfNode[above] : -1;
        const Mat4d world = m_worlds[std::size_t(node)];
        store(above >= 0 ? Mat4d(m_worlds[std::size_t(above)].inverse() * world) : world, joint.local);
        if (binds.values.empty())
            store(Mat4d::Identity(), joint.inverseBind);
        else
            std::copy_n(binds.values.begin() + long(16 * i), 16, joint.inverseBind.begin());
        joints.push_back(joint);
    }
    m_mesh.skeleton.insert(m_mesh.skeleton.end(), joints.begin(), joints.end());
    m_firstJoint[index] = first;
    return first;
}

// All of a primitive's, or none where anything of them is wrong.
void GltfFileReader::readInfluences(const tinygltf::Primitive& primitive, std::size_t rows, int skin) {
    const std::uint32_t firstJoint = readSkin(skin);
    const std::size_t jointCount = m_model.skins[std::size_t(skin)].joints.size();
    const auto joints = primitive.attributes.find("JOINTS_0"), weights = primitive.attributes.find("WEIGHTS_0");
    if (joints == primitive.attributes.end() || weights == primitive.attributes.end()) return;
    const GltfValues which = m_data.values(joints->second), howMuch = m_data.values(weights->second);
    if (which.rows != rows || howMuch.rows != rows || which.columns != 4 || howMuch.columns != 4)
        fail("joints and weights do not fit the positions; export the file again.");
    std::vector<Influences> read(rows);
    for (std::size_t i = 0; i < rows; ++i) {
        Influences& influences = read[i];
        float sum = 0;
        for (std::size_t k = 0; k < 4; ++k) {
            const float weight = howMuch.values[4 * i + k], joint = which.values[4 * i + k];
            if (!(weight > 0)) continue;
            if (!(joint >= 0) || joint >= float(jointCount))
                fail("a vertex names a joint that is not there; export the file again.");
            influences.joints[k] = std::uint16_t(firstJoint + std::uint32_t(joint));
            influences.weights[k] = weight;
            sum += weight;
        }
        if (sum > 0)
            for (float& weight : influences.weights) weight /= sum;
    }
    std::copy(read.begin(), read.end(), m_influences.end() - long(rows));
}

void GltfFileReader::readMorphs(const tinygltf::Primitive& primitive, const tinygltf::Mesh& mesh, std::size_t rows,
                                const Mat4d& world) {
    const Eigen::Matrix3f linear = world.topLeftCorner<3, 3>().cast<float>();
    for (std::size_t target = 0; target < primitive.targets.size(); ++target) {
        const auto entry = primitive.targets[target].find("POSITION");
        if (entry == primitive.targets[target].end()) continue;
        const GltfValues offsets = m_data.values(entry->second);
        if (offsets.rows != rows || offsets.columns != 3)
            fail("a blend shape does not fit the positions; export the file again.");
        std::string name = "shape " + std::to_string(target + 1);
        if (mesh.extras.IsObject() && mesh.extras.Has("targetNames")) {
            const tinygltf::Value& names = mesh.extras.Get("targetNames");
            if (names.IsArray() && target < names.ArrayLen() && names.Get(target).IsString())
                name = names.Get(target).Get<std::string>();
        }
        std::size_t morph = 0;
        while (morph < m_mesh.morphs.size() && m_mesh.morphs[morph].name != name) ++morph;
        if (morph == m_mesh.morphs.size()) {
            m_mesh.morphs.push_back({name, {}});
            m_offsets.emplace_back();
        }
        const std::size_t first = m_mesh.positions.size() - rows;
        m_offsets[morph].resize(m_mesh.positions.size(), Vec3f(Vec3f::Zero()));
        for (std::size_t i = 0; i < rows; ++i)
            m_offsets[morph][first + i] =
                linear * Vec3f(offsets.values[3 * i], offsets.values[3 * i + 1], offsets.values[3 * i + 2]);
    }
}

// What moves a file vertex apart from its place: lips that touch are two surfaces all the same.
std::uint64_t GltfFileReader::movementKey(std::size_t vertex) const {
    std::uint64_t key = 0;
    const auto add = [&](std::uint32_t bits) { key = mixBits(key ^ bits); };
    for (std::size_t k = 0; k < 4; ++k)
        if (m_influences[vertex].weights[k] > 0) {
            add(m_influences[vertex].joints[k]);
            add(std::bit_cast<std::uint32_t>(m_influences[vertex].weights[k]));
        }
    for (const std::vector<Vec3f>& offsets : m_offsets)
        if (vertex < offsets.size())
            for (const float value : offsets[vertex]) add(std::bit_cast<std::uint32_t>(value + 0.0f));
    return key;
}

// The vertices of a part are joined where they meet and move alike; what a file vertex carries lives on as a wedge.
void GltfFileReader::weldPart(std::size_t firstPosition, std::size_t firstTriangle) {
    m_wedges.insert(m_wedges.end(), m_mesh.triangles.begin() + long(firstTriangle), m_mesh.triangles.end());
    const std::span<const Vec3f> points(m_mesh.positions.data() + firstPosition,
                                        m_mesh.positions.size() - firstPosition);
    Welded welded = weldPoints(points, m_progress.span(0.9, 0.9));
    const std::size_t before = m_weldedPositions.size();
    if (m_mesh.skeleton.empty() && m_offsets.empty()) {
        m_weldedPositions.insert(m_weldedPositions.end(), welded.positions.begin(), welded.positions.end());
    } else {
        std::map<std::pair<std::uint32_t, std::uint64_t>, std::uint32_t> numbers;
        for (std::size_t i = 0; i < welded.indexOf.size(); ++i) {
            const auto key = std::pair(welded.indexOf[i], movementKey(firstPosition + i));
            const auto [entry, isNew] = numbers.try_emplace(key, std::uint32_t(numbers.size()));
            welded.indexOf[i] = entry->second;
            if (isNew) m_weldedPositions.push_back(points[i]);
        }
    }
    m_weldedFrom.resize(m_weldedPositions.size());
    for (std::size_t i = 0; i < welded.indexOf.size(); ++i)
        m_weldedFrom[before + welded.indexOf[i]] = firstPosition + i;
    for (std::size_t t = firstTriangle; t < m_mesh.triangles.size(); ++t)
        for (VertexId& v : m_mesh.triangles[t]) v = VertexId(before + welded.indexOf[v - firstPosition]);
}

void GltfFileReader::readPart(const tinygltf::Node& node, const Mat4d& world) {
    if (std::size_t(node.mesh) >= m_model.meshes.size())
        fail("a node names a mesh that is not there; export it again.");
    const tinygltf::Mesh& mesh = m_model.meshes[std::size_t(node.mesh)];
    std::string name = !node.name.empty() ? node.name : mesh.name;
    if (name.empty()) name = "part " + std::to_string(m_mesh.parts.size() + 1);
    const auto part = std::uint32_t(m_mesh.parts.size());
    const std::size_t firstPosition = m_mesh.positions.size();
    const std::size_t firstTriangle = m_mesh.triangles.size();
    for (const tinygltf::Primitive& primitive : mesh.primitives) {
        m_progress.at(std::min(0.9, 0.4 + 0.5 * double(m_primitivesDone++) / double(m_model.meshes.size() + 1)));
        const std::size_t vertices = m_mesh.positions.size();
        // A skinned mesh lies where its joints put it; its node's own place does not count.
        const Mat4d place = node.skin >= 0 ? Mat4d(Mat4d::Identity()) : world;
        bool isRead = false;
        // One broken primitive does not take the others along, nor a skin or shape that does not fit its surface.
        m_unreadable.attempt([&] { isRead = readPrimitive(primitive, place, part); });
        if (!isRead) continue;
        const std::size_t rows = m_mesh.positions.size() - vertices;
        if (node.skin >= 0) m_unfit.attempt([&] { readInfluences(primitive, rows, node.skin); });
        m_unfit.attempt([&] { readMorphs(primitive, mesh, rows, place); });
    }
    if (m_mesh.triangles.size() == firstTriangle) return;
    m_mesh.parts.push_back({name});
    weldPart(firstPosition, firstTriangle);
}

// Where some primitives have normals and others not, the others get smooth ones.
void GltfFileReader::fillMissingNormals() {
    const bool complete =
        std::none_of(m_mesh.normals.begin(), m_mesh.normals.end(), [](const Vec3f& normal) { return normal.isZero(); });
    if (complete) return;
    const std::vector<Vec3f> smooth =
        vertexNormals(m_mesh, findVertexTriangles(m_mesh.triangles, m_mesh.vertexCount()));
    for (std::size_t t = 0; t < m_mesh.triangles.size(); ++t)
        for (std::size_t corner = 0; corner < 3; ++corner) {
            Vec3f& normal = m_mesh.normals[m_mesh.wedges[t][corner]];
            if (normal.isZero()) normal = smooth[m_mesh.triangles[t][corner]];
        }
}

Mat4d localMatrix(const tinygltf::Node& node) {
    Mat4d local = Mat4d::Identity();
    if (node.matrix.size() == 16) {
        for (int i = 0; i < 16; ++i) local(i % 4, i / 4) = node.matrix[std::size_t(i)];
        return local;
    }
    Eigen::Affine3d placed = Eigen::Affine3d::Identity();
    if (node.translation.size() == 3)
        placed.translate(Vec3d(node.translation[0], node.translation[1], node.translation[2]));
    if (node.rotation.size() == 4)
        placed.rotate(
            Eigen::Quaterniond(node.rotation[3], node.rotation[0], node.rotation[1], node.rotation[2]).normalized());
    if (node.scale.size() == 3) placed.scale(Vec3d(node.scale[0], node.scale[1], node.scale[2]));
    return placed.matrix();
}

void GltfFileReader::visit(int index, const Mat4d& parent, std::size_t depth) {
    if (index < 0 || std::size_t(index) >= m_model.nodes.size())
        fail("the scene names a node that is not there; export it again.");
    if (depth > m_model.nodes.size()) fail("its nodes contain one another in a circle; export it again.");
    const tinygltf::Node& node = m_model.nodes[std::size_t(index)];
    const Mat4d world = parent * localMatrix(node);
    if (node.mesh >= 0) readPart(node, world);
    for (const int child : node.children) visit(child, world, depth + 1);
}

// Where each node lies: skins name joints that come later in the scene.
void GltfFileReader::findWorlds(int index, const Mat4d& parent, std::size_t depth) {
    if (index < 0 || std::size_t(index) >= m_model.nodes.size() || depth > m_model.nodes.size()) return;
    const tinygltf::Node& node = m_model.nodes[std::size_t(index)];
    m_worlds[std::size_t(index)] = parent * localMatrix(node);
    for (const int child : node.children) findWorlds(child, m_worlds[std::size_t(index)], depth + 1);
}

void GltfFileReader::visitScene() {
    std::vector<int> roots;
    if (!m_model.scenes.empty()) {
        const auto scene = std::size_t(std::clamp(m_model.defaultScene, 0, int(m_model.scenes.size()) - 1));
        roots = m_model.scenes[scene].nodes;
    } else {
        std::set<int> children;
        for (const tinygltf::Node& node : m_model.nodes) children.insert(node.children.begin(), node.children.end());
        for (int i = 0; i < int(m_model.nodes.size()); ++i)
            if (!children.contains(i)) roots.push_back(i);
    }
    m_worlds.assign(m_model.nodes.size(), Mat4d::Identity());
    for (const int root : roots) findWorlds(root, Mat4d::Identity(), 0);
    for (const int root : roots) visit(root, Mat4d::Identity(), 0);
}

void GltfFileReader::read(std::string_view text) {
    parse(text);
    m_progress.at(0.4);
    readMaterials();
    visitScene();
    if (m_mesh.triangles.empty()) {
        std::string reason;
        for (const std::string& note : m_result.notes) reason += " " + note;
        if (m_unreadable.count > 0) throw FileError(m_unreadable.first + reason);
        throw FileError(m_path.string() + " holds no triangles that can be read; choose a file that holds a surface." +
                        reason);
    }
    if (m_unreadable.count > 0)
        m_result.notes.push_back("Left out: " + countOf(m_unreadable.count, "primitive", "primitives") +
                                 " that could not be read; the first: " + m_unreadable.first);
    if (m_unfit.count > 0)
        m_result.notes.push_back(
            "Left out: " + countOf(m_unfit.count, "skin or blend shape that does", "skins or blend shapes that do") +
            " not fit; the first: " + m_unfit.first);
    if (!m_model.animations.empty())
        m_result.notes.push_back("The file has animations; those are not carried along, but the skeleton is.");
    if (m_moreInfluences)
        m_result.notes.push_back("Some vertices follow more than four joints; the first four are kept.");
    if (m_notTriangles > 0)
        m_result.notes.push_back(formatCount(m_notTriangles) + " primitives of lines or points were left out.");
    m_mesh.positions = std::move(m_weldedPositions);
    if (!m_mesh.skeleton.empty())
        for (const std::size_t from : m_weldedFrom) m_mesh.influences.push_back(m_influences[from]);
    for (std::size_t morph = 0; morph < m_offsets.size(); ++morph)
        for (const std::size_t from : m_weldedFrom)
            m_mesh.morphs[morph].offsets.push_back(from < m_offsets[morph].size() ? m_offsets[morph][from]
                                                                                  : Vec3f(Vec3f::Zero()));
    if (m_anySecondUvs) m_mesh.secondUvs = std::move(m_secondUvs);
    if (m_anyNormals || m_anyUvs || m_anySecondUvs || m_anyColors) m_mesh.wedges = std::move(m_wedges);
    if (m_anyUvs) m_mesh.uvs = std::move(m_uvs);
    if (m_anyColors) m_mesh.colors = std::move(m_colors);
    if (m_anyNormals) m_mesh.normals = std::move(m_normals);
    for (const Run& run : m_runs)
        if (run.material >= m_mesh.materials.size()) m_mesh.materials.emplace_back().name = "default";
    groupIntoSections(m_mesh, m_runs);
    m_mesh.metresPerUnit = 1;
    m_mesh.unitStated = true;
    if (m_anyNormals) fillMissingNormals();
    dropUnused(m_mesh);
}

}  // namespace

void readGltf(const std::filesystem::path& path, std::string_view text, MeshFile& result, const Progress& progress) {
    if (const auto unpacked = withoutDraco(path, text)) {
        GltfFileReader(path, result, progress).read(*unpacked);
        return;
    }
    GltfFileReader(path, result, progress).read(text);
}

}  // namespace um
