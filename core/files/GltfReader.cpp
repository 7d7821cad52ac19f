#include "base/Error.h"
#include "base/Parallel.h"
#include "base/Units.h"
#include "files/Gltf.h"
#include "files/Text.h"
#include "mesh/Connectivity.h"
#include "mesh/Weld.h"

#include <tiny_gltf.h>
#include <nlohmann/json.hpp>
#include <set>

namespace um {
namespace {

// Extensions that only change how things look or compress nothing; any other required one hides geometry from us.
const std::set<std::string> harmlessExtensions = {"KHR_mesh_quantization",      "KHR_materials_unlit",
                                                  "KHR_texture_transform",      "KHR_materials_emissive_strength",
                                                  "KHR_materials_transmission", "KHR_lights_punctual"};

bool isMissing(const std::filesystem::path& folder, const nlohmann::json& buffer) {
    if (!buffer.is_object() || !buffer.contains("uri") || !buffer["uri"].is_string()) return false;
    const std::string uri = buffer["uri"];
    return !uri.starts_with("data:") && !std::filesystem::exists(folder / uri);
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
        if (!isMissing(path.parent_path(), buffer)) continue;
        result.notes.push_back("The buffer " + shown(buffer["uri"].get<std::string>()) +
                               " is missing beside the file; what it holds is left out.");
        buffer = {{"byteLength", 1}, {"uri", "data:application/octet-stream;base64,AA=="}};
        changed = true;
    }
    return changed ? json.dump() : std::string(text);
}

// The values of an accessor as floats; integers are normalised where the file says so.
struct Accessed {
    std::vector<float> values;
    std::size_t columns = 0;
    std::size_t rows = 0;
};

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

class Reader {
public:
    Reader(const std::filesystem::path& path, MeshFile& result, const Progress& progress)
        : m_path(path), m_result(result), m_mesh(result.mesh), m_progress(progress) {}

    void read(std::string_view text);

private:
    [[noreturn]] void fail(const std::string& what) const { throw FileError(m_path.string() + ": " + what); }

    void parse(std::string_view text);
    void readMaterials();
    void visitScene();
    void visit(int node, const Mat4d& parent, std::size_t depth);
    void readPart(const tinygltf::Node& node, const Mat4d& world);
    bool readPrimitive(const tinygltf::Primitive& primitive, const Mat4d& world, std::uint32_t part);
    std::vector<Triangle> readTriangles(const tinygltf::Primitive& primitive, std::size_t vertexCount);
    std::size_t placeOf(int view, std::size_t offset, std::size_t rows, std::size_t rowSize, std::size_t& stride) const;
    const unsigned char* bytesOf(int view) const;
    Accessed access(int index) const;
    std::vector<std::uint32_t> accessIndices(int index) const;
    void weldPart(std::size_t firstPosition, std::size_t firstTriangle);
    void fillMissingNormals();

    const std::filesystem::path& m_path;
    MeshFile& m_result;
    Mesh& m_mesh;
    Progress m_progress;
    tinygltf::Model m_model;
    std::vector<Vec3f> m_weldedPositions;
    std::vector<Run> m_runs;
    std::vector<Triangle> m_wedges;  // for each triangle, until it is known whether they are needed
    std::vector<Vec3f> m_normals;    // of each file vertex; zero where the file has none
    std::vector<Vec2f> m_uvs;
    std::vector<Color> m_colors;
    bool m_anyNormals = false;
    bool m_anyUvs = false;
    bool m_anyColors = false;
    std::size_t m_primitivesDone = 0;
    std::size_t m_notTriangles = 0;
    std::size_t m_unreadable = 0;
    std::string m_firstProblem;
};

void Reader::parse(std::string_view text) {
    tinygltf::TinyGLTF parser;
    parser.SetImageLoader([](tinygltf::Image*, int, std::string*, std::string*, int, int, const unsigned char*, int,
                             void*) { return true; },
                          nullptr);
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
    for (const std::string& extension : m_model.extensionsRequired)
        if (!harmlessExtensions.contains(extension))
            fail("it needs the extension " + shown(extension) + ", which is not understood; export it without.");
}

void Reader::readMaterials() {
    bool textures = false;
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
        m_mesh.materials.push_back(material);
        textures = textures || pbr.baseColorTexture.index >= 0 || pbr.metallicRoughnessTexture.index >= 0 ||
                   from.normalTexture.index >= 0 || from.occlusionTexture.index >= 0 || from.emissiveTexture.index >= 0;
    }
    if (textures) m_result.notes.push_back("The materials have textures; those are not carried along.");
}

const unsigned char* Reader::bytesOf(int view) const {
    return m_model.buffers[std::size_t(m_model.bufferViews[std::size_t(view)].buffer)].data.data();
}

// Where in the buffer `rows` rows begin, having made sure that all of them lie within it.
std::size_t Reader::placeOf(int view, std::size_t offset, std::size_t rows, std::size_t rowSize,
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

Accessed Reader::access(int index) const {
    if (index < 0 || std::size_t(index) >= m_model.accessors.size())
        fail("a primitive names an accessor that is not there; export it again.");
    const tinygltf::Accessor& accessor = m_model.accessors[std::size_t(index)];
    Accessed result;
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

std::vector<std::uint32_t> Reader::accessIndices(int index) const {
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
    std::vector<std::uint32_t> indices(accessor.count);
    parallelFor(indices.size(), [&](std::size_t i) {
        indices[i] = std::uint32_t(component(begin + i * stride, accessor.componentType));
    });
    return indices;
}

std::vector<Triangle> Reader::readTriangles(const tinygltf::Primitive& primitive, std::size_t vertexCount) {
    std::vector<std::uint32_t> indices;
    if (primitive.indices >= 0) {
        indices = accessIndices(primitive.indices);
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

bool Reader::readPrimitive(const tinygltf::Primitive& primitive, const Mat4d& world, std::uint32_t part) {
    const bool triangular = primitive.mode == -1 ||
                            (primitive.mode >= TINYGLTF_MODE_TRIANGLES && primitive.mode <= TINYGLTF_MODE_TRIANGLE_FAN);
    const auto positionEntry = primitive.attributes.find("POSITION");
    if (!triangular || positionEntry == primitive.attributes.end()) {
        ++m_notTriangles;
        return false;
    }
    const Accessed positions = access(positionEntry->second);
    if (positions.columns != 3) fail("positions must have three coordinates; export the file again.");
    const std::vector<Triangle> triangles = readTriangles(primitive, positions.rows);

    const auto optional = [&](const char* name, std::size_t columns) {
        const auto entry = primitive.attributes.find(name);
        if (entry == primitive.attributes.end()) return Accessed{};
        Accessed accessed = access(entry->second);
        if (accessed.rows != positions.rows || accessed.columns < columns)
            fail(std::string(name) + " does not fit the positions; export the file again.");
        return accessed;
    };
    const Accessed normals = optional("NORMAL", 3);
    const Accessed uvs = optional("TEXCOORD_0", 2);
    const Accessed colors = optional("COLOR_0", 3);
    m_anyNormals = m_anyNormals || !normals.values.empty();
    m_anyUvs = m_anyUvs || !uvs.values.empty();
    m_anyColors = m_anyColors || !colors.values.empty();

    const auto first = std::uint32_t(m_mesh.positions.size());
    const std::size_t count = first + positions.rows;
    m_mesh.positions.resize(count);
    m_normals.resize(count, Vec3f(Vec3f::Zero()));
    m_uvs.resize(count, Vec2f(Vec2f::Zero()));
    m_colors.resize(count, Color{255, 255, 255, 255});
    const Eigen::Matrix3d linear = world.topLeftCorner<3, 3>();
    const Eigen::Matrix3d normalMatrix =
        std::abs(linear.determinant()) > 0 ? Eigen::Matrix3d(linear.inverse().transpose()) : linear;
    const bool moves = world != Mat4d::Identity();
    parallelFor(positions.rows, [&](std::size_t i) {
        const std::size_t v = first + i;
        const float* p = &positions.values[3 * i];
        m_mesh.positions[v] = Vec3f(p[0], p[1], p[2]);
        if (moves)
            m_mesh.positions[v] =
                (linear * m_mesh.positions[v].cast<double>() + world.topRightCorner<3, 1>()).cast<float>();
        if (!normals.values.empty()) {
            const float* n = &normals.values[3 * i];
            const Vec3d turned = normalMatrix * Vec3d(n[0], n[1], n[2]);
            if (turned.norm() > 0) m_normals[v] = turned.normalized().cast<float>();
        }
        // In glTF v runs downwards.
        if (!uvs.values.empty()) m_uvs[v] = Vec2f(uvs.values[2 * i], 1.0f - uvs.values[2 * i + 1]);
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

// The vertices of a part are joined where they meet; what a file vertex carries lives on as a wedge.
void Reader::weldPart(std::size_t firstPosition, std::size_t firstTriangle) {
    m_wedges.insert(m_wedges.end(), m_mesh.triangles.begin() + long(firstTriangle), m_mesh.triangles.end());
    const std::span<const Vec3f> points(m_mesh.positions.data() + firstPosition,
                                        m_mesh.positions.size() - firstPosition);
    Welded welded = weldPoints(points, m_progress.span(0.9, 0.9));
    const std::size_t before = m_weldedPositions.size();
    m_weldedPositions.insert(m_weldedPositions.end(), welded.positions.begin(), welded.positions.end());
    for (std::size_t t = firstTriangle; t < m_mesh.triangles.size(); ++t)
        for (VertexId& v : m_mesh.triangles[t]) v = VertexId(before + welded.indexOf[v - firstPosition]);
}

void Reader::readPart(const tinygltf::Node& node, const Mat4d& world) {
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
        try {
            readPrimitive(primitive, world, part);
        } catch (const FileError& error) {
            // One broken primitive does not take the others along.
            ++m_unreadable;
            if (m_firstProblem.empty()) m_firstProblem = error.what();
        }
    }
    if (m_mesh.triangles.size() == firstTriangle) return;
    m_mesh.parts.push_back({name});
    weldPart(firstPosition, firstTriangle);
}

// Where some primitives have normals and others not, the others get smooth ones.
void Reader::fillMissingNormals() {
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

void Reader::visit(int index, const Mat4d& parent, std::size_t depth) {
    if (index < 0 || std::size_t(index) >= m_model.nodes.size())
        fail("the scene names a node that is not there; export it again.");
    if (depth > m_model.nodes.size()) fail("its nodes contain one another in a circle; export it again.");
    const tinygltf::Node& node = m_model.nodes[std::size_t(index)];
    const Mat4d world = parent * localMatrix(node);
    if (node.mesh >= 0) readPart(node, world);
    for (const int child : node.children) visit(child, world, depth + 1);
}

void Reader::visitScene() {
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
    for (const int root : roots) visit(root, Mat4d::Identity(), 0);
}

void Reader::read(std::string_view text) {
    parse(text);
    m_progress.at(0.4);
    readMaterials();
    visitScene();
    if (m_mesh.triangles.empty()) {
        std::string reason;
        for (const std::string& note : m_result.notes) reason += " " + note;
        if (!m_firstProblem.empty()) throw FileError(m_firstProblem + reason);
        throw FileError(m_path.string() + " holds no triangles that can be read; choose a file that holds a surface." +
                        reason);
    }
    if (m_unreadable > 0)
        m_result.notes.push_back(formatCount(m_unreadable) +
                                 " primitives could not be read and are left out; the first: " + m_firstProblem);
    if (!m_model.skins.empty() || !m_model.animations.empty())
        m_result.notes.push_back("The file has a skeleton or animations; those are not carried along.");
    if (m_notTriangles > 0)
        m_result.notes.push_back(formatCount(m_notTriangles) + " primitives of lines or points were left out.");
    m_mesh.positions = std::move(m_weldedPositions);
    if (m_anyNormals || m_anyUvs || m_anyColors) m_mesh.wedges = std::move(m_wedges);
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
    Reader(path, result, progress).read(text);
}

}  // namespace um
