#include "files/TriangleStream.h"

#include "base/Error.h"
#include "base/File.h"
#include "base/Units.h"
#include "files/MeshFile.h"
#include "files/PlainText.h"
#include "files/PlyHeader.h"
#include "files/Stl.h"
#include "files/Text.h"
#include "mesh/Polygon.h"

#include <algorithm>
#include <cstring>

namespace um {

namespace {

constexpr std::size_t batchSize = 1 << 16;

// Bytes of a mapped file after which what lies behind is given back.
constexpr std::size_t releaseStep = std::size_t(64) << 20;

// Bytes that a triangle takes in text, with its share of the vertices.
constexpr std::size_t textBytesOfTriangle = 45;

// Gathers triangles into batches, and checks them.
class Batch {
public:
    Batch(const std::filesystem::path& path, const TriangleStream::Visit& visit) : m_path(path), m_visit(visit) {
        m_triangles.reserve(batchSize);
    }

    void add(const Corners& corners) {
        const auto isUsable = [](const Vec3f& corner) { return (corner.array().abs() <= largestCoordinate).all(); };
        if (!std::all_of(corners.begin(), corners.end(), isUsable))
            throw FileError(m_path.string() + ", triangle " + formatCount(m_before + m_triangles.size() + 1) +
                            ": a coordinate is not a finite number, or too large to be reckoned with; repair it where "
                            "the mesh was made and export again.");
        m_triangles.push_back(corners);
        if (m_triangles.size() == batchSize) flush();
    }

    void flush() {
        if (!m_triangles.empty()) m_visit(m_triangles);
        m_before += m_triangles.size();
        m_triangles.clear();
    }

private:
    const std::filesystem::path& m_path;
    const TriangleStream::Visit& m_visit;
    std::vector<Corners> m_triangles;
    std::size_t m_before = 0;
};

class FileStream : public TriangleStream {
public:
    explicit FileStream(const std::filesystem::path& path) : m_path(path), m_file(path) {}

protected:
    // Called now and then with how far the reading has come.
    void passed(std::size_t place, const Progress& progress) {
        progress.at(double(place) / double(m_file.text().size()));
        if (place < m_released + releaseStep) return;
        m_file.release(m_released, place);
        m_released = place;
    }

    const std::filesystem::path m_path;
    const MappedFile m_file;
    std::size_t m_released = 0;
};

class BinaryStlStream : public FileStream {
public:
    explicit BinaryStlStream(const std::filesystem::path& path) : FileStream(path) {
        m_count = binaryStlTriangles(path, m_file.text());
    }

    std::size_t expectedTriangles() const override { return m_count; }

    void read(const Visit& visit, const Progress& progress) override {
        m_released = 0;
        Batch batch(m_path, visit);
        for (std::size_t t = 0; t < m_count; ++t) {
            const std::size_t place = stlPrefixSize + stlRecordSize * t;
            if (t % batchSize == 0) passed(place, progress);
            Corners corners;
            for (std::size_t k = 0; k < 3; ++k)
                std::memcpy(corners[k].data(), m_file.text().data() + place + 12 + 12 * k, 12);
            batch.add(corners);
        }
        batch.flush();
    }

private:
    std::size_t m_count = 0;
};

// ASCII STL and OBJ: line by line.
class TextStream : public FileStream {
public:
    TextStream(const std::filesystem::path& path, bool isStl) : FileStream(path), m_isStl(isStl) {}

    std::size_t expectedTriangles() const override { return m_file.text().size() / textBytesOfTriangle; }

    void read(const Visit& visit, const Progress& progress) override {
        m_released = 0;
        m_vertices.clear();
        Batch batch(m_path, visit);
        std::string_view rest = m_file.text();
        if (rest.starts_with(utf8Mark)) rest.remove_prefix(utf8Mark.size());
        for (std::size_t line = 0; !rest.empty(); ++line) {
            if (line % batchSize == 0) passed(m_file.text().size() - rest.size(), progress);
            const char* place = rest.data();
            LineCursor cursor(takeLine(rest, m_isStl ? Lines::Plain : Lines::Continued));
            if (m_isStl)
                takeStlLine(cursor, place, batch);
            else
                takeObjLine(cursor, place, batch);
        }
        batch.flush();
    }

private:
    Vec3f position(LineCursor& cursor, const char* place) const {
        Vec3f p;
        for (int i = 0; i < 3; ++i) {
            const auto value = cursor.number();
            if (!value)
                failAtLine(m_path, m_file.text(), place, "a vertex needs three numbers; export the file again.");
            p[i] = *value;
        }
        return p;
    }

    void takeStlLine(LineCursor& cursor, const char* place, Batch& batch) {
        const std::string_view word = cursor.word();
        if (word == "vertex") m_vertices.push_back(position(cursor, place));
        if (word != "endloop") return;
        for (std::size_t k = 2; k < m_vertices.size(); ++k)
            batch.add({m_vertices[0], m_vertices[k - 1], m_vertices[k]});
        m_vertices.clear();
    }

    void takeObjLine(LineCursor& cursor, const char* place, Batch& batch) {
        const std::string_view word = cursor.word();
        if (word == "v") m_vertices.push_back(position(cursor, place));
        if (word != "f") return;
        m_corners.clear();
        for (std::string_view corner = cursor.word(); !corner.empty(); corner = cursor.word()) {
            const auto index = parseInteger(corner.substr(0, corner.find('/')));
            const long long count = (long long)m_vertices.size();
            const long long at = !index ? count : *index > 0 ? *index - 1 : count + *index;
            if (at < 0 || at >= count)
                failAtLine(m_path, m_file.text(), place,
                           "a face uses vertex \"" + shown(corner) + "\", which is not there; export the file again.");
            m_corners.push_back(m_vertices[std::size_t(at)]);
        }
        triangulatePolygon(m_corners, m_cut);
        for (const Triangle& cut : m_cut) batch.add({m_corners[cut[0]], m_corners[cut[1]], m_corners[cut[2]]});
    }

    bool m_isStl;
    std::vector<Vec3f> m_vertices;
    std::vector<Vec3f> m_corners;
    std::vector<Triangle> m_cut;
};

class BinaryPlyStream : public FileStream {
public:
    explicit BinaryPlyStream(const std::filesystem::path& path)
        : FileStream(path), m_header(ply::readHeader(path, m_file.text())), m_at(m_header.size) {
        if (m_header.encoding == ply::Encoding::Ascii)
            throw FileError(path.string() +
                            " is a text PLY too large for the memory allowed; save it as binary PLY, or allow more.");
        for (const ply::Element& element : m_header.elements) {
            if (element.name == "face") {
                takeFaces(element);
                return;
            }
            const std::size_t stride = strideOf(element);
            if (element.name == "vertex") {
                m_layout = ply::layoutOf(path, element);
                m_vertices = element;
                m_firstVertex = m_at;
                m_stride = stride;
                for (int i = 0; i < 3; ++i) {
                    m_offsets[i] = 0;
                    for (int p = 0; p < m_layout.position[i]; ++p)
                        m_offsets[i] += ply::sizeOf(element.properties[std::size_t(p)].type);
                }
            }
            if (stride > 0 && (m_file.text().size() - m_at) / stride < element.count) failCutOff();
            m_at += element.count * stride;
        }
        throw FileError(path.string() + " has no faces; choose a file that holds a surface.");
    }

    std::size_t expectedTriangles() const override { return m_faces.count; }
    double metresPerUnit() const override { return metresPerUnitOf(m_header.unit).value_or(0); }

    void read(const Visit& visit, const Progress& progress) override {
        m_released = m_at;
        Batch batch(m_path, visit);
        const std::string_view text = m_file.text();
        const bool swap = m_header.swaps();
        std::size_t place = m_at;
        std::vector<Vec3f> corners;
        const auto need = [&](std::size_t bytes) {
            if (text.size() - place < bytes) failCutOff();
        };
        for (std::size_t f = 0; f < m_faces.count; ++f) {
            if (f % batchSize == 0) {
                const std::size_t before = m_released;
                passed(place, progress);
                // Vertices are used near where they were used before; what was, long ago, goes with the faces.
                if (m_released != before) m_file.release(m_firstVertex, m_at);
            }
            for (const ply::Property& property : m_faces.properties) {
                if (!property.isList) {
                    need(ply::sizeOf(property.type));
                    place += ply::sizeOf(property.type);
                    continue;
                }
                need(ply::sizeOf(property.countType));
                const double stated = ply::load(text.data() + place, property.countType, swap);
                place += ply::sizeOf(property.countType);
                const std::size_t size = ply::sizeOf(property.type);
                if (!(stated >= 0) || stated > double((text.size() - place) / size)) failCutOff();
                const auto count = std::size_t(stated);
                if (isCornerList(property)) {
                    corners.clear();
                    for (std::size_t k = 0; k < count; ++k)
                        corners.push_back(vertex(ply::load(text.data() + place + k * size, property.type, swap), f));
                    for (std::size_t k = 2; k < count; ++k) batch.add({corners[0], corners[k - 1], corners[k]});
                }
                place += count * size;
            }
        }
        batch.flush();
    }

private:
    static bool isCornerList(const ply::Property& property) {
        return property.isList && (property.name == "vertex_indices" || property.name == "vertex_index");
    }

    std::size_t strideOf(const ply::Element& element) const {
        std::size_t stride = 0;
        for (const ply::Property& property : element.properties) {
            if (property.isList)
                throw FileError(m_path.string() +
                                " has lists before its faces, which is not understood; export it "
                                "again.");
            stride += ply::sizeOf(property.type);
        }
        return stride;
    }

    void takeFaces(const ply::Element& element) {
        m_faces = element;
        if (m_stride == 0)
            throw FileError(m_path.string() + " has faces but no vertices before them; export it again.");
        if (std::none_of(element.properties.begin(), element.properties.end(), isCornerList))
            throw FileError(m_path.string() + " has faces without corners; export it again.");
    }

    Vec3f vertex(double index, std::size_t face) const {
        if (!(index >= 0) || index >= double(m_vertices.count))
            throw FileError(m_path.string() + ", face " + formatCount(face + 1) +
                            ": uses a vertex that is not there; export the file again.");
        const char* record = m_file.text().data() + m_firstVertex + std::size_t(index) * m_stride;
        Vec3f p;
        for (int i = 0; i < 3; ++i)
            p[i] = float(ply::load(record + m_offsets[i], m_vertices.properties[std::size_t(m_layout.position[i])].type,
                                   m_header.swaps()));
        return p;
    }

    [[noreturn]] void failCutOff() const { throw FileError(m_path.string() + " is cut off; export or copy it again."); }

    ply::Header m_header;
    ply::VertexLayout m_layout;
    ply::Element m_vertices, m_faces;
    std::size_t m_at, m_firstVertex = 0, m_stride = 0;
    std::array<std::size_t, 3> m_offsets{};
};

}  // namespace

std::unique_ptr<TriangleStream> openTriangleStream(const std::filesystem::path& path) {
    const MappedFile file(path);
    if (isUtf16(file.text()))
        throw FileError(path.string() +
                        " is too large for the memory allowed, and text in UTF-16 cannot be read piece "
                        "by piece; save it as UTF-8, or allow more memory.");
    switch (formatOf(path, file.text())) {
        case MeshFormat::Stl:
            if (isAsciiStl(file.text())) return std::make_unique<TextStream>(path, true);
            return std::make_unique<BinaryStlStream>(path);
        case MeshFormat::Ply: return std::make_unique<BinaryPlyStream>(path);
        case MeshFormat::Obj: return std::make_unique<TextStream>(path, false);
        default:
            throw FileError(path.string() + " is too large for the memory allowed, and " +
                            formatName(formatOf(path, file.text())) +
                            " cannot be read piece by piece; save it as binary STL, PLY or OBJ, or allow more memory.");
    }
}

std::size_t estimateTriangles(const std::filesystem::path& path) {
    const MappedFile file(path);
    const std::string_view text = file.text();
    switch (formatOf(path, text)) {
        case MeshFormat::Stl:
            return isAsciiStl(text) ? text.size() / (5 * textBytesOfTriangle) : binaryStlTriangles(path, text);
        case MeshFormat::Ply: {
            for (const ply::Element& element : ply::readHeader(path, text).elements)
                if (element.name == "face") return std::min(element.count, text.size() / 4);
            return 0;
        }
        case MeshFormat::Obj: return text.size() / textBytesOfTriangle;
        default: return text.size() / 18;
    }
}

}  // namespace um
