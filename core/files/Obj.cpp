#include "files/Obj.h"

#include "base/Error.h"
#include "base/File.h"
#include "base/Parallel.h"
#include "base/Units.h"
#include "files/Mtl.h"
#include "files/Text.h"
#include "files/TextWriter.h"
#include "mesh/Polygon.h"
#include "mesh/Weld.h"

#include <atomic>
#include <limits>
#include <map>

namespace um {
namespace {

// An index as it stands in a chunk, before the chunks' places in the file are known. Absolute ones count from 0;
// relative ones ("-1 is the last so far") are kept as relativeBase + the index counted from the chunk's beginning.
using RawIndex = std::int32_t;
constexpr RawIndex absent = std::numeric_limits<RawIndex>::min();
constexpr RawIndex relativeBase = -(1 << 30);

struct RawCorner {
    RawIndex position = absent;
    RawIndex uv = absent;
    RawIndex normal = absent;
};

enum class EventKind { Object, Group, Material, MaterialFile };

struct Event {
    std::size_t face;  // it holds from this face of the chunk on
    EventKind kind;
    std::string name;
};

struct Chunk {
    std::vector<Vec3f> positions;
    std::vector<Color> colors;  // as many as positions, or none
    std::vector<Vec2f> uvs;
    std::vector<Vec3f> normals;
    std::vector<RawCorner> corners;
    std::vector<std::uint32_t> faceEnds;  // into corners
    std::vector<Event> events;
    std::string unit;
    std::size_t otherElements = 0;  // lines and points
};

class ChunkParser {
public:
    ChunkParser(const std::filesystem::path& path, std::string_view whole, Chunk& chunk)
        : m_path(path), m_whole(whole), m_chunk(chunk) {}

    void parse(std::string_view text);

private:
    [[noreturn]] void fail(const std::string& what) const { failAtLine(m_path, m_whole, m_place, what); }
    Vec3f threeNumbers(LineCursor& line, const char* what) const;
    void parseVertex(LineCursor& line);
    void parseFace(LineCursor& line);
    RawIndex parseIndex(std::string_view word, std::size_t countSoFar) const;

    const std::filesystem::path& m_path;
    std::string_view m_whole;
    Chunk& m_chunk;
    const char* m_place = nullptr;
};

Vec3f ChunkParser::threeNumbers(LineCursor& line, const char* what) const {
    const auto x = line.number(), y = line.number(), z = line.number();
    if (!x || !y || !z) fail(std::string(what) + " needs three numbers; export the file again.");
    const Vec3f value(*x, *y, *z);
    if (!value.allFinite())
        fail(std::string(what) +
             " has a value that is not a finite number; repair it where the mesh was made and export again.");
    return value;
}

void ChunkParser::parseVertex(LineCursor& line) {
    m_chunk.positions.push_back(threeNumbers(line, "a vertex"));
    // Colours behind the coordinates are a habit of scanners: x y z r g b. A single number more is a weight.
    float extra[4];
    int count = 0;
    while (count < 4 && !line.atEnd()) {
        const auto value = line.number();
        if (!value) break;
        extra[count++] = *value;
    }
    if (count < 3) return;
    Color color = {0, 0, 0, 255};
    for (std::size_t i = 0; i < 3; ++i) color[i] = std::uint8_t(std::clamp(extra[i] * 255.0f + 0.5f, 0.0f, 255.0f));
    m_chunk.colors.resize(m_chunk.positions.size() - 1, Color{255, 255, 255, 255});
    m_chunk.colors.push_back(color);
}

RawIndex ChunkParser::parseIndex(std::string_view word, std::size_t countSoFar) const {
    if (word.empty()) return absent;
    const auto index = parseInteger(word);
    if (!index || *index == 0 || *index > -static_cast<long long>(relativeBase) ||
        *index < static_cast<long long>(relativeBase) / 2)
        fail("\"" + shown(word) + "\" is no vertex number of a face; export the file again.");
    return *index > 0 ? RawIndex(*index - 1) : RawIndex(relativeBase + long(countSoFar) + *index);
}

void ChunkParser::parseFace(LineCursor& line) {
    const std::size_t begin = m_chunk.corners.size();
    while (!line.atEnd()) {
        std::string_view word = line.word();
        if (word.front() == '#') break;
        const auto field = [&] {
            const std::size_t slash = word.find('/');
            const std::string_view part = word.substr(0, slash);
            word.remove_prefix(slash == std::string_view::npos ? word.size() : slash + 1);
            return part;
        };
        RawCorner corner;
        corner.position = parseIndex(field(), m_chunk.positions.size());
        corner.uv = parseIndex(field(), m_chunk.uvs.size());
        corner.normal = parseIndex(field(), m_chunk.normals.size());
        if (corner.position == absent) fail("a corner of a face lacks its vertex number; export the file again.");
        m_chunk.corners.push_back(corner);
    }
    if (m_chunk.corners.size() - begin < 3) {
        m_chunk.corners.resize(begin);
        ++m_chunk.otherElements;
        return;
    }
    m_chunk.faceEnds.push_back(std::uint32_t(m_chunk.corners.size()));
}

void ChunkParser::parse(std::string_view text) {
    while (!text.empty()) {
        m_place = text.data();
        LineCursor line(takeLine(text, Lines::Continued));
        const std::string_view word = line.word();
        const auto event = [&](EventKind kind) {
            m_chunk.events.push_back({m_chunk.faceEnds.size(), kind, std::string(line.rest())});
        };
        if (word == "v") {
            parseVertex(line);
        } else if (word == "vt") {
            const auto u = line.number(), v = line.number();
            if (!u) fail("a texture coordinate needs a number; export the file again.");
            m_chunk.uvs.emplace_back(*u, v.value_or(0.0f));
        } else if (word == "vn") {
            m_chunk.normals.push_back(threeNumbers(line, "a normal"));
        } else if (word == "f") {
            parseFace(line);
        } else if (word == "o") {
            event(EventKind::Object);
        } else if (word == "g") {
            event(EventKind::Group);
        } else if (word == "usemtl") {
            event(EventKind::Material);
        } else if (word == "mtllib") {
            event(EventKind::MaterialFile);
        } else if (word == "l" || word == "p") {
            ++m_chunk.otherElements;
        } else if (word == "#" && m_chunk.unit.empty() && line.word() == "unit:") {
            m_chunk.unit = std::string(line.word());
        }
    }
    if (!m_chunk.colors.empty()) m_chunk.colors.resize(m_chunk.positions.size(), Color{255, 255, 255, 255});
}

std::vector<Chunk> parseChunks(const std::filesystem::path& path, std::string_view text, const Progress& progress) {
    const std::vector<std::string_view> pieces = chunksOfLines(text, 4 << 20, Lines::Continued);
    std::vector<Chunk> chunks(pieces.size());
    std::atomic<std::size_t> done = 0;
    parallelFor(
        pieces.size(),
        [&](std::size_t i) {
            progress.check();
            ChunkParser(path, text, chunks[i]).parse(pieces[i]);
            progress.at(double(++done) / double(pieces.size()));
        },
        1);
    return chunks;
}

// Puts the chunks together: their vertices in a row, their faces as triangles.
class Assembler {
public:
    Assembler(const std::filesystem::path& path, std::vector<Chunk>& chunks, MeshFile& result)
        : m_path(path), m_chunks(chunks), m_result(result), m_mesh(result.mesh) {}

    void assemble(const Progress& progress);

private:
    struct Place {  // how much stands before a chunk
        std::size_t positions, uvs, normals, triangles;
    };

    void join();
    void cutFaces(const Progress& progress);
    void makeSections(const Progress& progress);
    void makeWedges();
    std::size_t resolved(RawIndex index, std::size_t before, std::size_t count, const char* what) const;

    const std::filesystem::path& m_path;
    std::vector<Chunk>& m_chunks;
    MeshFile& m_result;
    Mesh& m_mesh;
    std::vector<Place> m_places;
    std::vector<Vec2f> m_uvs;
    std::vector<Vec3f> m_normals;
    std::vector<Color> m_colors;
    std::vector<std::array<std::uint64_t, 3>> m_keys;  // per corner: uv number + 1 and normal number + 1
};

template <class T>
void appendAndFree(std::vector<T>& to, std::vector<T>& from) {
    to.insert(to.end(), from.begin(), from.end());
    std::vector<T>().swap(from);
}

void Assembler::join() {
    bool anyColors = false;
    for (const Chunk& chunk : m_chunks) anyColors = anyColors || !chunk.colors.empty();
    std::size_t triangles = 0;
    std::size_t polygons = 0;
    std::size_t others = 0;
    for (Chunk& chunk : m_chunks) {
        m_places.push_back({m_mesh.positions.size(), m_uvs.size(), m_normals.size(), triangles});
        std::uint32_t begin = 0;
        for (const std::uint32_t end : chunk.faceEnds) {
            polygons += end - begin > 3 ? 1 : 0;
            begin = end;
        }
        triangles += chunk.corners.size() - 2 * chunk.faceEnds.size();
        others += chunk.otherElements;
        if (anyColors) chunk.colors.resize(chunk.positions.size(), Color{255, 255, 255, 255});
        appendAndFree(m_mesh.positions, chunk.positions);
        appendAndFree(m_colors, chunk.colors);
        appendAndFree(m_uvs, chunk.uvs);
        appendAndFree(m_normals, chunk.normals);
        if (!chunk.unit.empty() && !m_mesh.unitStated)
            if (const auto metres = metresPerUnitOf(chunk.unit)) {
                m_mesh.metresPerUnit = *metres;
                m_mesh.unitStated = true;
            }
    }
    m_mesh.triangles.resize(triangles);
    if (polygons > 0)
        m_result.remarks.push_back(countOf(polygons, "polygon was", "polygons were") + " cut into triangles.");
    if (others > 0) m_result.notes.push_back(formatCount(others) + " lines and points were left out.");
}

std::size_t Assembler::resolved(RawIndex index, std::size_t before, std::size_t count, const char* what) const {
    const std::int64_t value =
        index < 0 ? std::int64_t(before) + (std::int64_t(index) - relativeBase) : std::int64_t(index);
    if (value < 0 || value >= std::int64_t(count))
        throw FileError(m_path.string() + ": a face uses " + what + " number " + std::to_string(value + 1) +
                        ", but there are only " + std::to_string(count) + "; export the file again.");
    return std::size_t(value);
}

void Assembler::cutFaces(const Progress& progress) {
    const bool keyed = !m_uvs.empty() || !m_normals.empty();
    if (keyed) m_keys.resize(m_mesh.triangles.size());
    std::atomic<std::size_t> done = 0;
    parallelFor(
        m_chunks.size(),
        [&](std::size_t c) {
            progress.check();
            Chunk& chunk = m_chunks[c];
            const Place& place = m_places[c];
            std::size_t next = place.triangles;
            std::vector<VertexId> corners;
            std::vector<std::uint64_t> keys;
            std::vector<Vec3f> points;
            std::vector<Triangle> cut;
            std::uint32_t begin = 0;
            for (const std::uint32_t end : chunk.faceEnds) {
                corners.clear();
                keys.clear();
                for (std::uint32_t i = begin; i < end; ++i) {
                    const RawCorner& corner = chunk.corners[i];
                    corners.push_back(
                        VertexId(resolved(corner.position, place.positions, m_mesh.positions.size(), "vertex")));
                    const std::uint64_t uv =
                        corner.uv == absent ? 0
                                            : resolved(corner.uv, place.uvs, m_uvs.size(), "texture coordinate") + 1;
                    const std::uint64_t normal =
                        corner.normal == absent
                            ? 0
                            : resolved(corner.normal, place.normals, m_normals.size(), "normal") + 1;
                    keys.push_back(uv << 32 | normal);
                }
                if (corners.size() == 3) {
                    cut.assign(1, Triangle{0, 1, 2});
                } else {
                    points.clear();
                    for (const VertexId corner : corners) points.push_back(m_mesh.positions[corner]);
                    triangulatePolygon(points, cut);
                }
                for (const Triangle& triangle : cut) {
                    for (std::size_t corner = 0; corner < 3; ++corner) {
                        m_mesh.triangles[next][corner] = corners[triangle[corner]];
                        if (keyed) m_keys[next][corner] = keys[triangle[corner]];
                    }
                    ++next;
                }
                begin = end;
            }
            std::vector<RawCorner>().swap(chunk.corners);
            progress.at(double(++done) / double(m_chunks.size()));
        },
        1);
}

void Assembler::makeSections(const Progress& progress) {
    bool hasObjects = false;
    for (const Chunk& chunk : m_chunks)
        for (const Event& event : chunk.events) hasObjects = hasObjects || event.kind == EventKind::Object;

    std::map<std::string, std::uint32_t> parts;
    std::map<std::string, std::uint32_t> materials;
    std::vector<Run> runs;
    Run current;
    std::string partName = m_path.stem().string();
    std::string materialName;
    bool opened = false;
    // Parts and materials are made when a triangle uses them, so that a file full of empty groups stays readable.
    const auto open = [&](std::size_t triangle) {
        if (!runs.empty() && runs.back().firstTriangle == triangle) runs.pop_back();
        current.firstTriangle = triangle;
        runs.push_back(current);
    };
    const auto partNumber = [&](const std::string& name) {
        const auto [entry, isNew] = parts.emplace(name, std::uint32_t(m_mesh.parts.size()));
        if (isNew) m_mesh.parts.push_back({name});
        return entry->second;
    };
    const auto materialNumber = [&](const std::string& name) {
        const auto [entry, isNew] = materials.emplace(name, std::uint32_t(m_mesh.materials.size()));
        if (isNew) m_mesh.materials.emplace_back().name = name.empty() ? "default" : name;
        return entry->second;
    };
    for (std::size_t c = 0; c < m_chunks.size(); ++c) {
        const Chunk& chunk = m_chunks[c];
        std::size_t triangle = m_places[c].triangles;
        std::size_t face = 0;
        std::uint32_t cornersBefore = 0;
        const auto advance = [&](std::size_t toFace) {
            if (face == toFace) return;
            if (!opened) {
                current.part = partNumber(partName);
                current.material = materialNumber(materialName);
                open(triangle);
                opened = true;
            }
            const std::uint32_t cornersAfter = chunk.faceEnds[toFace - 1];
            triangle += (cornersAfter - cornersBefore) - 2 * (toFace - face);
            cornersBefore = cornersAfter;
            face = toFace;
        };
        for (const Event& event : chunk.events) {
            advance(event.face);
            switch (event.kind) {
                case EventKind::Object: partName = event.name; break;
                case EventKind::Group:
                    if (!hasObjects) partName = event.name;
                    break;
                case EventKind::Material: materialName = event.name; break;
                case EventKind::MaterialFile:
                    m_result.addCompanion(m_path.parent_path() / event.name);
                    try {
                        readMaterialFile(m_path.parent_path() / event.name, m_result, materials, progress);
                    } catch (const FileError& error) {
                        m_result.notes.push_back("Its materials have no colours: " + std::string(error.what()));
                    }
                    break;
            }
            opened = false;
        }
        advance(chunk.faceEnds.size());
    }
    ensureSections(m_mesh, m_path.stem().string());
    if (!runs.empty()) groupIntoSections(m_mesh, runs);
}

void Assembler::makeWedges() {
    if (m_keys.empty()) {
        m_mesh.colors = std::move(m_colors);
        return;
    }
    const std::vector<std::uint64_t> wedgeKeys = assignWedges(m_mesh, m_keys);
    const auto fill = [&](auto& attribute, const auto& values, auto numberOf, auto fallback) {
        if (values.empty()) return;
        attribute.resize(wedgeKeys.size());
        parallelFor(wedgeKeys.size(), [&](std::size_t w) {
            const std::uint64_t number = numberOf(wedgeKeys[w]);
            attribute[w] = number == 0 ? fallback : values[number - 1];
        });
    };
    fill(
        m_mesh.uvs, m_uvs, [](std::uint64_t key) { return key >> 32; }, Vec2f(0, 0));
    fill(
        m_mesh.normals, m_normals, [](std::uint64_t key) { return key & 0xffffffffu; }, Vec3f(0, 0, 1));
    if (m_colors.empty()) return;
    m_mesh.colors.resize(wedgeKeys.size());
    for (std::size_t t = 0; t < m_mesh.triangles.size(); ++t)
        for (std::size_t corner = 0; corner < 3; ++corner)
            m_mesh.colors[m_mesh.wedges[t][corner]] = m_colors[m_mesh.triangles[t][corner]];
}

void Assembler::assemble(const Progress& progress) {
    join();
    if (m_mesh.triangles.empty())
        throw FileError(m_path.string() + " holds no faces; choose a file that holds a surface.");
    progress.at(0.2);
    cutFaces(progress.span(0.2, 0.6));
    makeWedges();
    progress.at(0.7);
    makeSections(progress);
    if (isTriangleSoup(m_mesh)) {
        const std::size_t joined = weldVertices(m_mesh, progress.span(0.8, 1));
        if (joined > 0) m_result.notes.push_back(formatCount(joined) + " repeated vertices were welded.");
    }
}

}  // namespace

void readObj(const std::filesystem::path& path, std::string_view text, MeshFile& result, const Progress& progress) {
    std::vector<Chunk> chunks = parseChunks(path, text, progress.span(0, 0.7));
    Assembler(path, chunks, result).assemble(progress.span(0.7, 1));
}

void writeObj(const Mesh& mesh, const std::filesystem::path& path, const Progress& progress) {
    std::filesystem::path materialPath = path;
    materialPath.replace_extension(".mtl");
    writeMaterialFile(mesh, materialPath);
    writeWhole(path, [&](FileWriter& writer) {
        TextWriter out(writer);
        if (mesh.unitStated) out << "# unit: " << unitName(mesh.metresPerUnit) << "\n";
        out << "mtllib " << materialPath.filename().string() << "\n";
        std::vector<Color> colors;
        if (!mesh.colors.empty()) {
            colors.resize(mesh.vertexCount(), Color{255, 255, 255, 255});
            for (std::size_t t = 0; t < mesh.triangles.size(); ++t)
                for (std::size_t corner = 0; corner < 3; ++corner)
                    colors[mesh.triangles[t][corner]] = mesh.colors[mesh.wedgesOf(TriangleId(t))[corner]];
        }
        for (std::size_t v = 0; v < mesh.positions.size(); ++v) {
            if (v % 65536 == 0) progress.at(0.5 * double(v) / double(mesh.positions.size()));
            const Vec3f& p = mesh.positions[v];
            out << "v " << p.x() << " " << p.y() << " " << p.z();
            if (!colors.empty())
                for (std::size_t i = 0; i < 3; ++i) out << " " << float(colors[v][i]) / 255.0f;
            out << "\n";
        }
        for (const Vec2f& uv : mesh.uvs) out << "vt " << uv.x() << " " << uv.y() << "\n";
        for (const Vec3f& normal : mesh.normals)
            out << "vn " << normal.x() << " " << normal.y() << " " << normal.z() << "\n";
        std::size_t part = mesh.parts.size();
        for (const Section& section : mesh.sections) {
            if (section.part != part) out << "o " << mesh.parts[section.part].name << "\n";
            part = section.part;
            out << "usemtl " << materialWord(mesh.materials[section.material]) << "\n";
            for (std::uint32_t i = 0; i < section.triangleCount; ++i) {
                const TriangleId t = section.firstTriangle + i;
                if (t % 65536 == 0) progress.at(0.5 + 0.5 * double(t) / double(mesh.triangleCount()));
                out << "f";
                for (std::size_t corner = 0; corner < 3; ++corner) {
                    const std::size_t wedge = std::size_t(mesh.wedgesOf(t)[corner]) + 1;
                    out << " " << std::size_t(mesh.triangles[t][corner]) + 1;
                    if (!mesh.uvs.empty()) out << "/" << wedge;
                    if (!mesh.normals.empty()) out << (mesh.uvs.empty() ? "//" : "/") << wedge;
                }
                out << "\n";
            }
        }
    });
}

}  // namespace um
