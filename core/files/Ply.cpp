#include "files/Ply.h"

#include "base/Error.h"
#include "base/File.h"
#include "base/Parallel.h"
#include "base/Units.h"
#include "files/PlyHeader.h"
#include "files/Text.h"
#include "files/TextureFile.h"
#include "mesh/Polygon.h"
#include "mesh/Weld.h"

#include <array>
#include <atomic>
#include <bit>
#include <cstring>

namespace um {

using namespace ply;

namespace {

void reserveVertices(Mesh& mesh, const VertexLayout& layout, std::size_t count) {
    mesh.positions.resize(count);
    if (VertexLayout::whole(layout.normal, 3)) mesh.normals.resize(count);
    if (VertexLayout::whole(layout.uv, 2)) mesh.uvs.resize(count);
    if (VertexLayout::whole(layout.color, 3)) mesh.colors.resize(count);
}

void storeVertex(Mesh& mesh, const VertexLayout& layout, std::size_t v, const std::vector<double>& row) {
    const auto at = [&](int slot) { return float(row[std::size_t(slot)]); };
    mesh.positions[v] = Vec3f(at(layout.position[0]), at(layout.position[1]), at(layout.position[2]));
    if (!mesh.normals.empty())
        mesh.normals[v] = Vec3f(at(layout.normal[0]), at(layout.normal[1]), at(layout.normal[2]));
    if (!mesh.uvs.empty()) mesh.uvs[v] = Vec2f(at(layout.uv[0]), at(layout.uv[1]));
    if (!mesh.colors.empty()) {
        const float scale = layout.colorIsFloat ? 255.0f : 1.0f;
        for (std::size_t i = 0; i < 4; ++i)
            mesh.colors[v][i] = layout.color[i] < 0
                                    ? std::uint8_t(255)
                                    : std::uint8_t(std::clamp(at(layout.color[i]) * scale + 0.5f, 0.0f, 255.0f));
    }
}

// A face as the file has it.
struct Face {
    std::vector<std::uint32_t> corners;
    std::vector<float> uvs;  // two for each corner, or none
    std::int64_t texture = 0;
};

std::uint64_t keyOf(float u, float v) {
    return std::uint64_t(std::bit_cast<std::uint32_t>(u)) << 32 | std::bit_cast<std::uint32_t>(v);
}

Vec2f uvOf(std::uint64_t key) {
    return {std::bit_cast<float>(std::uint32_t(key >> 32)), std::bit_cast<float>(std::uint32_t(key))};
}

// The reading of one file: the header, where the data has been read to, and the mesh that fills up.
class PlyReader {
public:
    PlyReader(const std::filesystem::path& path, std::string_view text, MeshFile& result)
        : m_path(path), m_text(text), m_result(result), m_header(readHeader(path, text)), m_at(m_header.size) {}

    void read(const Progress& progress);

private:
    std::string_view data() const { return m_text.substr(m_at); }
    bool swaps() const { return m_header.swaps(); }
    [[noreturn]] void failCutOff(const Element& element, std::size_t held) const {
        throw FileError(m_path.string() + " is cut off: it promises " + formatCount(element.count) + " of \"" +
                        shown(element.name) + "\" but ends after " + formatCount(held) + "; export or copy it again.");
    }

    void requireRoom(const Element& element) const;
    void readRowsAscii(const Element& element, const std::function<void(std::size_t, LineCursor&, const char*)>& row,
                       const Progress& progress);
    void readVertices(const Element& element, const Progress& progress);
    void readFaces(const Element& element, const Progress& progress);
    bool readPlainTriangles(const Element& element, const Progress& progress);
    void readBinaryFaces(const Element& element, const Progress& progress);
    void readAsciiFaces(const Element& element, const Progress& progress);
    void skip(const Element& element, const Progress& progress);
    std::size_t recordSize(const Element& element, const char* at, std::size_t room) const;
    void addFace(const Face& face);
    void addTriangle(const Face& face, const Triangle& corners);
    void makeWedges();
    void makeMaterials();

    const std::filesystem::path& m_path;
    std::string_view m_text;
    MeshFile& m_result;
    Header m_header;
    FaceLayout m_layout;
    std::size_t m_at;
    std::size_t m_polygons = 0;
    std::size_t m_tooSmall = 0;
    std::vector<Vec3f> m_corners;
    std::vector<Triangle> m_cut;
    std::vector<std::array<std::uint64_t, 3>> m_cornerUvs;  // of each triangle, where faces have them
    std::vector<std::int64_t> m_textureOf;                  // likewise
};

// A header's word alone allocates nothing: every element takes at least this many bytes of the file.
void PlyReader::requireRoom(const Element& element) const {
    std::size_t least = 0;
    for (const Property& property : element.properties)
        least +=
            m_header.encoding == Encoding::Ascii ? 2 : sizeOf(property.isList ? property.countType : property.type);
    if (m_header.encoding == Encoding::Ascii && least > 0) --least;  // the last line may lack its end
    const std::size_t room = m_text.size() - m_at + 1;
    if (least > 0 && element.count > room / least) failCutOff(element, room / least);
    if (element.count > 0xfffffff0u)
        throw FileError(m_path.string() + " promises " + formatCount(element.count) + " of \"" + shown(element.name) +
                        "\", more than a mesh can hold (4,294 million); split it.");
}

void PlyReader::readRowsAscii(const Element& element,
                              const std::function<void(std::size_t, LineCursor&, const char*)>& row,
                              const Progress& progress) {
    std::string_view rest = data();
    for (std::size_t i = 0; i < element.count; ++i) {
        if (i % 16384 == 0) progress.at(double(i) / double(element.count));
        std::string_view line;
        const char* place = rest.data();
        while (line.find_first_not_of(" \t") == std::string_view::npos) {
            if (rest.empty()) failCutOff(element, i);
            place = rest.data();
            line = takeLine(rest);
        }
        LineCursor cursor(line);
        row(i, cursor, place);
    }
    m_at = m_text.size() - rest.size();
}

void PlyReader::readVertices(const Element& element, const Progress& progress) {
    const VertexLayout layout = layoutOf(m_path, element);
    requireRoom(element);
    Mesh& mesh = m_result.mesh;
    reserveVertices(mesh, layout, element.count);
    const std::size_t columns = element.properties.size();
    if (m_header.encoding == Encoding::Ascii) {
        std::vector<double> row(columns);
        readRowsAscii(
            element,
            [&](std::size_t v, LineCursor& line, const char* place) {
                for (std::size_t p = 0; p < columns; ++p) {
                    const auto value = line.number();
                    if (!value)
                        failAtLine(m_path, m_text, place,
                                   "a vertex needs " + std::to_string(columns) + " numbers; export the file again.");
                    row[p] = *value;
                }
                storeVertex(mesh, layout, v, row);
            },
            progress);
        return;
    }
    std::vector<std::size_t> offsets;
    std::size_t stride = 0;
    for (const Property& property : element.properties) {
        if (property.isList)
            throw FileError(m_path.string() + " has lists on its vertices, which is not understood; export it again.");
        offsets.push_back(stride);
        stride += sizeOf(property.type);
    }
    if (data().size() / stride < element.count) failCutOff(element, data().size() / stride);
    const char* begin = data().data();
    const bool swap = swaps();
    // Nearly every file: x y z as floats in a row, in this machine's byte order.
    const auto px = std::size_t(layout.position[0]);
    const bool plain = !swap && !mesh.hasAttributes() && layout.position[1] == int(px) + 1 &&
                       layout.position[2] == int(px) + 2 && element.properties[px].type == Type::Float32 &&
                       element.properties[px + 1].type == Type::Float32 &&
                       element.properties[px + 2].type == Type::Float32;
    std::atomic<std::size_t> done = 0;
    parallelRanges(
        element.count,
        [&](std::size_t from, std::size_t to) {
            std::vector<double> row(columns);
            for (std::size_t v = from; v < to; ++v) {
                const char* record = begin + v * stride;
                if (plain) {
                    std::memcpy(mesh.positions[v].data(), record + offsets[px], 12);
                    continue;
                }
                for (std::size_t p = 0; p < columns; ++p)
                    row[p] = load(record + offsets[p], element.properties[p].type, swap);
                storeVertex(mesh, layout, v, row);
            }
            progress.at(double(done += to - from) / double(element.count));
        },
        1 << 16);
    m_at += stride * element.count;
}

void PlyReader::addTriangle(const Face& face, const Triangle& corners) {
    m_result.mesh.triangles.push_back({face.corners[corners[0]], face.corners[corners[1]], face.corners[corners[2]]});
    if (!m_layout.uvs) return;
    m_textureOf.push_back(face.texture);
    std::array<std::uint64_t, 3>& keys = m_cornerUvs.emplace_back();
    if (face.uvs.size() != 2 * face.corners.size()) return;
    for (std::size_t k = 0; k < 3; ++k) keys[k] = keyOf(face.uvs[2 * corners[k]], face.uvs[2 * corners[k] + 1]);
}

void PlyReader::addFace(const Face& face) {
    const std::vector<Vec3f>& positions = m_result.mesh.positions;
    if (face.corners.size() < 3) {
        ++m_tooSmall;
        return;
    }
    if (face.corners.size() == 3) {
        addTriangle(face, {0, 1, 2});
        return;
    }
    ++m_polygons;
    m_corners.clear();
    for (const std::uint32_t corner : face.corners)
        m_corners.push_back(corner < positions.size() ? positions[corner] : Vec3f(Vec3f::Zero()));
    triangulatePolygon(m_corners, m_cut);
    for (const Triangle& cut : m_cut) addTriangle(face, cut);
}

// The bytes of one binary record, or 0 if it does not fit.
std::size_t PlyReader::recordSize(const Element& element, const char* at, std::size_t room) const {
    std::size_t size = 0;
    for (const Property& property : element.properties) {
        const std::size_t fixed = sizeOf(property.isList ? property.countType : property.type);
        if (size + fixed > room) return 0;
        if (property.isList) {
            const double count = load(at + size, property.countType, swaps());
            if (count < 0 || count * double(sizeOf(property.type)) > double(room - size - fixed)) return 0;
            size += std::size_t(count) * sizeOf(property.type);
        }
        size += fixed;
    }
    return size;
}

// Where every face is a triangle, all records have one size and can be read side by side.
bool PlyReader::readPlainTriangles(const Element& element, const Progress& progress) {
    if (m_layout.uvs) return false;
    const std::size_t listIndex = m_layout.corners;
    const Property& list = element.properties[listIndex];
    std::size_t stride = 0;
    std::size_t offset = 0;
    for (std::size_t p = 0; p < element.properties.size(); ++p) {
        const Property& property = element.properties[p];
        if (p == listIndex) offset = stride;
        if (property.isList && p != listIndex) return false;
        stride += property.isList ? sizeOf(list.countType) + 3 * sizeOf(list.type) : sizeOf(property.type);
    }
    if (data().size() / stride < element.count || list.type == Type::Float32 || list.type == Type::Float64)
        return false;
    Mesh& mesh = m_result.mesh;
    mesh.triangles.resize(element.count);
    const char* begin = data().data() + offset;
    const bool swap = swaps();
    const std::size_t countSize = sizeOf(list.countType);
    const bool plain = !swap && sizeOf(list.type) == 4 && countSize == 1;
    std::atomic<bool> mixed = false;
    std::atomic<std::size_t> done = 0;
    parallelRanges(
        element.count,
        [&](std::size_t from, std::size_t to) {
            for (std::size_t t = from; t < to && !mixed; ++t) {
                const char* record = begin + t * stride;
                if ((plain ? double(*record) : load(record, list.countType, swap)) != 3) {
                    mixed = true;
                    return;
                }
                if (plain) {
                    std::memcpy(mesh.triangles[t].data(), record + 1, 12);
                    continue;
                }
                for (std::size_t corner = 0; corner < 3; ++corner)
                    mesh.triangles[t][corner] = std::uint32_t(
                        std::int64_t(load(record + countSize + corner * sizeOf(list.type), list.type, swap)));
            }
            progress.at(double(done += to - from) / double(element.count));
        },
        1 << 16);
    if (mixed) {
        mesh.triangles.clear();
        return false;
    }
    m_at += stride * element.count;
    return true;
}

void PlyReader::readBinaryFaces(const Element& element, const Progress& progress) {
    Face face;
    for (std::size_t f = 0; f < element.count; ++f) {
        if (f % 65536 == 0) progress.at(double(f) / double(element.count));
        const char* at = data().data();
        const std::size_t size = recordSize(element, at, data().size());
        if (size == 0) failCutOff(element, f);
        for (std::size_t p = 0; p < element.properties.size(); ++p) {
            const Property& property = element.properties[p];
            const auto value = [&](std::size_t i) {
                return load(at + i * sizeOf(property.type), property.type, swaps());
            };
            std::size_t count = 1;
            if (property.isList) {
                count = std::size_t(load(at, property.countType, swaps()));
                at += sizeOf(property.countType);
            }
            if (p == m_layout.corners) {
                face.corners.clear();
                for (std::size_t i = 0; i < count; ++i) face.corners.push_back(std::uint32_t(std::int64_t(value(i))));
            }
            if (p == m_layout.uvs) {
                face.uvs.clear();
                for (std::size_t i = 0; i < count; ++i) face.uvs.push_back(float(value(i)));
            }
            if (p == m_layout.texture) {
                const double number = value(0);
                face.texture = number >= 0 && number < 1e9 ? std::int64_t(number) : -1;
            }
            at += count * sizeOf(property.type);
        }
        addFace(face);
        m_at += size;
    }
}

void PlyReader::readAsciiFaces(const Element& element, const Progress& progress) {
    Face face;
    readRowsAscii(
        element,
        [&](std::size_t, LineCursor& line, const char* place) {
            const auto requireThat = [&](bool isGood, const char* otherwise) {
                if (!isGood) failAtLine(m_path, m_text, place, otherwise);
            };
            for (std::size_t p = 0; p < element.properties.size(); ++p) {
                std::size_t count = 1;
                if (element.properties[p].isList) {
                    const auto stated = parseInteger(line.word());
                    requireThat(stated && *stated >= 0 && *stated <= 1000000,
                                "the face's number of corners is missing; export the file again.");
                    count = std::size_t(*stated);
                }
                if (p == m_layout.corners) face.corners.clear();
                if (p == m_layout.uvs) face.uvs.clear();
                for (std::size_t i = 0; i < count; ++i) {
                    if (p == m_layout.corners) {
                        const auto index = parseInteger(line.word());
                        requireThat(
                            index && *index >= 0 && *index <= 0xffffffffLL,
                            "the face lacks a corner or has one that is no vertex number; export the file again.");
                        face.corners.push_back(std::uint32_t(*index));
                    } else if (p == m_layout.uvs) {
                        const auto value = line.number();
                        requireThat(value.has_value(),
                                    "the face has a texture coordinate that is no number; export the file again.");
                        face.uvs.push_back(*value);
                    } else if (p == m_layout.texture) {
                        face.texture = parseInteger(line.word()).value_or(-1);
                    } else {
                        line.word();
                    }
                }
            }
            addFace(face);
        },
        progress);
}

void PlyReader::readFaces(const Element& element, const Progress& progress) {
    requireRoom(element);
    m_layout = faceLayoutOf(m_path, element);
    if (m_header.encoding == Encoding::Ascii)
        readAsciiFaces(element, progress);
    else if (!readPlainTriangles(element, progress))
        readBinaryFaces(element, progress);
    // Of faces that all lack them.
    const auto hasNone = [](const std::array<std::uint64_t, 3>& keys) {
        return keys[0] == 0 && keys[1] == 0 && keys[2] == 0;
    };
    if (std::all_of(m_cornerUvs.begin(), m_cornerUvs.end(), hasNone)) m_cornerUvs.clear();
}

// UVs at the corners of faces, beside what vertices have.
void PlyReader::makeWedges() {
    Mesh& mesh = m_result.mesh;
    if (m_cornerUvs.empty()) return;
    const std::vector<std::uint64_t> keys = assignWedges(mesh, m_cornerUvs);
    mesh.uvs.resize(keys.size());
    for (std::size_t w = 0; w < keys.size(); ++w) mesh.uvs[w] = uvOf(keys[w]);
    std::vector<VertexId> vertexOf(keys.size());
    for (std::size_t t = 0; t < mesh.triangles.size(); ++t)
        for (std::size_t k = 0; k < 3; ++k) vertexOf[mesh.wedges[t][k]] = mesh.triangles[t][k];
    const auto spread = [&](auto& attribute) {
        if (attribute.empty()) return;
        std::remove_reference_t<decltype(attribute)> ofWedges(keys.size());
        for (std::size_t w = 0; w < keys.size(); ++w) ofWedges[w] = attribute[vertexOf[w]];
        attribute = std::move(ofWedges);
    };
    spread(mesh.normals);
    spread(mesh.colors);
}

// A material for each texture that the file names, and a plain one for faces that have none.
void PlyReader::makeMaterials() {
    Mesh& mesh = m_result.mesh;
    if (m_header.textures.empty() || mesh.uvs.empty()) return;
    std::string missing;
    mesh.materials.clear();
    for (const std::string& name : m_header.textures) {
        Material& material = mesh.materials.emplace_back();
        material.name = std::filesystem::path(name).stem().string();
        material.roughness = 1;
        const std::filesystem::path folder = m_path.parent_path();
        const auto texture =
            findTexture(m_result, std::vector{folder / name, folder / std::filesystem::path(name).filename()});
        if (!texture) {
            missing = name;
            continue;
        }
        material.baseColor = {1, 1, 1, 1};
        material.baseColorTexture.texture = int(mesh.textures.size());
        mesh.textures.push_back(*texture);
    }
    if (!missing.empty())
        m_result.notes.push_back("The texture " + shown(missing) +
                                 " is missing beside the file, or no image, and left out.");
    const auto plain = std::uint32_t(mesh.materials.size());
    std::vector<Run> runs;
    for (std::size_t t = 0; t < m_textureOf.size(); ++t) {
        const bool isKnown = m_textureOf[t] >= 0 && m_textureOf[t] < std::int64_t(plain);
        const std::uint32_t material = isKnown ? std::uint32_t(m_textureOf[t]) : plain;
        if (runs.empty() || runs.back().material != material) runs.push_back({t, 0, material});
        if (!isKnown && mesh.materials.size() == plain) mesh.materials.emplace_back().name = "plain";
    }
    if (!runs.empty()) groupIntoSections(mesh, runs);
}

void PlyReader::skip(const Element& element, const Progress& progress) {
    requireRoom(element);
    if (m_header.encoding == Encoding::Ascii) {
        readRowsAscii(
            element, [](std::size_t, LineCursor&, const char*) {}, progress);
        return;
    }
    for (std::size_t i = 0; i < element.count && !element.properties.empty(); ++i) {
        const std::size_t size = recordSize(element, data().data(), data().size());
        if (size == 0) failCutOff(element, i);
        m_at += size;
    }
}

void PlyReader::read(const Progress& progress) {
    bool hasVertices = false;
    bool hasFaces = false;
    for (const Element& element : m_header.elements) {
        if (element.name == "vertex") {
            readVertices(element, progress.span(0, 0.4));
            hasVertices = true;
        } else if (element.name == "face") {
            if (!hasVertices)
                throw FileError(m_path.string() + " lists faces before vertices; export it again in the usual order.");
            readFaces(element, progress.span(0.4, 0.8));
            hasFaces = true;
        } else {
            skip(element, progress);
        }
    }
    Mesh& mesh = m_result.mesh;
    if (hasVertices && (!hasFaces || mesh.triangles.empty()))
        throw FileError(m_path.string() + " holds points but no triangles; choose a file that holds a surface.");
    if (const auto metres = metresPerUnitOf(m_header.unit)) {
        mesh.metresPerUnit = *metres;
        mesh.unitStated = true;
    }
    if (m_polygons > 0)
        m_result.remarks.push_back(countOf(m_polygons, "polygon was", "polygons were") + " cut into triangles.");
    if (m_tooSmall > 0)
        m_result.notes.push_back(formatCount(m_tooSmall) + " faces with fewer than three corners were left out.");
    ensureSections(mesh, m_path.stem().string());
    requireSound(mesh, m_path.string());
    makeWedges();
    makeMaterials();
    // Attributes tear a surface apart in this format, and so do exports that repeat each corner.
    if (mesh.hasAttributes() || isTriangleSoup(mesh)) {
        const std::size_t joined = weldVertices(mesh, progress.span(0.8, 1));
        if (joined > 0) m_result.notes.push_back(formatCount(joined) + " repeated vertices were welded.");
    }
}

}  // namespace

void readPly(const std::filesystem::path& path, std::string_view text, MeshFile& result, const Progress& progress) {
    PlyReader(path, text, result).read(progress);
}

void writePly(const Mesh& mesh, const std::filesystem::path& path, const Progress& progress) {
    // The format has one set of attributes to a vertex: where the mesh has wedges, each becomes a vertex.
    const bool byWedge = mesh.hasAttributes() && !mesh.wedges.empty();
    const std::vector<Triangle>& triangles = byWedge ? mesh.wedges : mesh.triangles;
    std::vector<VertexId> vertexOf(byWedge ? mesh.wedgeCount() : mesh.vertexCount());
    for (std::size_t v = 0; v < vertexOf.size(); ++v) vertexOf[v] = byWedge ? 0 : VertexId(v);
    if (byWedge)
        for (std::size_t t = 0; t < triangles.size(); ++t)
            for (std::size_t corner = 0; corner < 3; ++corner)
                vertexOf[triangles[t][corner]] = mesh.triangles[t][corner];
    writeWhole(path, [&](FileWriter& writer) {
        const std::string unit = mesh.unitStated ? "comment unit: " + unitName(mesh.metresPerUnit) + "\n" : "";
        std::string header = "ply\nformat binary_little_endian 1.0\n" + unit + "element vertex " +
                             std::to_string(vertexOf.size()) +
                             "\nproperty float x\nproperty float y\nproperty float z\n";
        if (!mesh.normals.empty()) header += "property float nx\nproperty float ny\nproperty float nz\n";
        if (!mesh.uvs.empty()) header += "property float s\nproperty float t\n";
        if (!mesh.colors.empty())
            header += "property uchar red\nproperty uchar green\nproperty uchar blue\nproperty uchar alpha\n";
        header += "element face " + std::to_string(triangles.size()) +
                  "\nproperty list uchar uint vertex_indices\nend_header\n";
        writer.write(header);
        for (std::size_t v = 0; v < vertexOf.size(); ++v) {
            if (v % 65536 == 0) progress.at(0.5 * double(v) / double(vertexOf.size()));
            writer.write(mesh.positions[vertexOf[v]].data(), 12);
            if (!mesh.normals.empty()) writer.write(mesh.normals[v].data(), 12);
            if (!mesh.uvs.empty()) writer.write(mesh.uvs[v].data(), 8);
            if (!mesh.colors.empty()) writer.write(mesh.colors[v].data(), 4);
        }
        for (std::size_t t = 0; t < triangles.size(); ++t) {
            if (t % 65536 == 0) progress.at(0.5 + 0.5 * double(t) / double(triangles.size()));
            const char count = 3;
            writer.write(&count, 1);
            writer.write(triangles[t].data(), 12);
        }
    });
}

}  // namespace um
