#include "files/Stl.h"

#include "base/Error.h"
#include "base/File.h"
#include "base/Parallel.h"
#include "base/Units.h"
#include "files/Text.h"
#include "mesh/Weld.h"

#include <atomic>
#include <cstring>

namespace um {
namespace {

constexpr std::size_t stlHeaderSize = 80;

std::uint32_t statedCount(std::string_view text) {
    std::uint32_t count = 0;
    std::memcpy(&count, text.data() + stlHeaderSize, sizeof count);
    return count;
}

std::string_view unitIn(std::string_view header) {
    const std::size_t at = header.find("unit: ");
    if (at == std::string_view::npos) return {};
    const std::string_view rest = header.substr(at + 6);
    return rest.substr(0, rest.find_first_of(std::string_view(" \r\n\0", 4)));
}

void setUnit(Mesh& mesh, std::string_view name) {
    const auto metres = metresPerUnitOf(name);
    if (!metres) return;
    mesh.metresPerUnit = *metres;
    mesh.unitStated = true;
}

std::vector<Vec3f> readBinaryPoints(const std::filesystem::path& path, std::string_view text,
                                    const Progress& progress) {
    const std::size_t count = binaryStlTriangles(path, text);
    std::vector<Vec3f> points(count * 3);
    std::atomic<std::size_t> broken = count;
    std::atomic<std::size_t> done = 0;
    parallelRanges(
        count,
        [&](std::size_t begin, std::size_t end) {
            for (std::size_t t = begin; t < end; ++t) {
                std::memcpy(points[3 * t].data(), text.data() + stlPrefixSize + stlRecordSize * t + 12, 36);
                if (!(points[3 * t] + points[3 * t + 1] + points[3 * t + 2]).allFinite()) {
                    std::size_t known = broken;
                    while (t < known && !broken.compare_exchange_weak(known, t)) {
                    }
                }
            }
            progress.at(double(done += end - begin) / double(count));
        },
        1 << 16);
    if (broken < count)
        throw FileError(path.string() + ", triangle " + formatCount(broken + 1) +
                        ": a coordinate is not a finite number; repair it where the mesh was made and export again.");
    return points;
}

struct AsciiChunk {
    std::vector<Vec3f> points;
    std::vector<std::pair<std::size_t, std::string>> solids;  // number of points before it, name
    bool closed = false;                                      // whether the last solid here is ended
};

AsciiChunk readAsciiChunk(const std::filesystem::path& path, std::string_view whole, std::string_view chunk) {
    AsciiChunk result;
    while (!chunk.empty()) {
        const char* place = chunk.data();
        LineCursor line(takeLine(chunk));
        const std::string_view word = line.word();
        if (word == "vertex") {
            const auto x = line.number(), y = line.number(), z = line.number();
            if (!x || !y || !z) failAtLine(path, whole, place, "a vertex needs three numbers; export the file again.");
            const Vec3f point(*x, *y, *z);
            if (!point.allFinite())
                failAtLine(path, whole, place,
                           "a coordinate is not a finite number; repair it where the mesh was made and export again.");
            result.points.push_back(point);
        } else if (word == "solid") {
            result.solids.emplace_back(result.points.size(), std::string(line.rest()));
            result.closed = false;
        } else if (word == "endsolid") {
            result.closed = true;
        }
    }
    return result;
}

std::vector<Vec3f> readAsciiPoints(const std::filesystem::path& path, std::string_view text, Mesh& mesh,
                                   std::vector<Run>& runs, const Progress& progress) {
    const std::vector<std::string_view> pieces = chunksOfLines(text, 1 << 20);
    std::vector<AsciiChunk> chunks(pieces.size());
    std::atomic<std::size_t> done = 0;
    parallelFor(
        pieces.size(),
        [&](std::size_t i) {
            chunks[i] = readAsciiChunk(path, text, pieces[i]);
            progress.at(double(++done) / double(pieces.size()));
        },
        1);
    std::vector<Vec3f> points;
    for (const AsciiChunk& chunk : chunks) {
        for (const auto& [before, name] : chunk.solids) {
            if ((points.size() + before) % 3 != 0)
                throw FileError(path.string() + ": solid \"" + shown(name) +
                                "\" begins within a triangle; export the file again.");
            runs.push_back({(points.size() + before) / 3, std::uint32_t(mesh.parts.size()), 0});
            mesh.parts.push_back({name.empty() ? path.stem().string() : name});
        }
        points.insert(points.end(), chunk.points.begin(), chunk.points.end());
    }
    if (points.size() % 3 != 0 || !chunks.back().closed)
        throw FileError(path.string() + " is cut off: it ends within a solid, after " + formatCount(points.size() / 3) +
                        " triangles; export or copy it again.");
    return points;
}

}  // namespace

bool isAsciiStl(std::string_view text) {
    // Some binary files begin with "solid" too; those have the size that their count asks for, or bytes no text has.
    const std::size_t begin = text.find_first_not_of(" \t\r\n");
    if (begin == std::string_view::npos || !text.substr(begin).starts_with("solid")) return false;
    if (text.size() >= stlPrefixSize && text.size() == stlPrefixSize + stlRecordSize * std::size_t(statedCount(text)))
        return false;
    return text.substr(0, 512).find('\0') == std::string_view::npos;
}

std::size_t binaryStlTriangles(const std::filesystem::path& path, std::string_view text) {
    if (text.size() < stlPrefixSize)
        throw FileError(path.string() + " ends within the header of an STL file; export or copy it again.");
    const std::size_t count = statedCount(text);
    const std::size_t held = (text.size() - stlPrefixSize) / stlRecordSize;
    if (held < count)
        throw FileError(path.string() + " is cut off: it promises " + formatCount(count) +
                        " triangles but ends after " + formatCount(held) + "; export or copy it again.");
    return count;
}

bool looksLikeStl(std::string_view text) {
    if (text.size() >= stlPrefixSize && text.size() == stlPrefixSize + stlRecordSize * std::size_t(statedCount(text)))
        return true;
    return isAsciiStl(text) && text.substr(0, 4096).find("facet") != std::string_view::npos;
}

void readStl(const std::filesystem::path& path, std::string_view text, MeshFile& result, const Progress& progress) {
    Mesh& mesh = result.mesh;
    std::vector<Run> runs;
    std::vector<Vec3f> points;
    if (isAsciiStl(text)) {
        points = readAsciiPoints(path, text, mesh, runs, progress.span(0, 0.6));
        setUnit(mesh, unitIn(text.substr(0, text.find('\n'))));
    } else {
        points = readBinaryPoints(path, text, progress.span(0, 0.4));
        setUnit(mesh, unitIn(text.substr(0, stlHeaderSize)));
    }
    if (points.empty()) throw FileError(path.string() + " holds no triangles; choose a file that holds a surface.");
    Welded welded = weldPoints(points, progress.span(0.4, 1));
    mesh.positions = std::move(welded.positions);
    mesh.triangles.resize(points.size() / 3);
    std::memcpy(mesh.triangles.data(), welded.indexOf.data(), welded.indexOf.size() * sizeof(std::uint32_t));
    if (!runs.empty()) {
        ensureSections(mesh, path.stem().string());
        groupIntoSections(mesh, runs);
    }
}

void writeStl(const Mesh& mesh, const std::filesystem::path& path, const Progress& progress) {
    writeWhole(path, [&](FileWriter& writer) {
        std::string header = "binary STL";
        if (mesh.unitStated) header += " unit: " + unitName(mesh.metresPerUnit);
        header.resize(stlHeaderSize, ' ');
        const auto count = std::uint32_t(mesh.triangleCount());
        writer.write(header);
        writer.write(&count, sizeof count);
        for (std::size_t t = 0; t < mesh.triangles.size(); ++t) {
            if (t % 65536 == 0) progress.at(double(t) / double(count));
            const Triangle& triangle = mesh.triangles[t];
            const Vec3f& a = mesh.positions[triangle[0]];
            const Vec3f& b = mesh.positions[triangle[1]];
            const Vec3f& c = mesh.positions[triangle[2]];
            const Vec3d doubled = areaNormal(a.cast<double>(), b.cast<double>(), c.cast<double>());
            const Vec3f normal = doubled.norm() > 0 ? Vec3f(doubled.normalized().cast<float>()) : Vec3f(Vec3f::Zero());
            char record[stlRecordSize] = {};
            std::memcpy(record, normal.data(), 12);
            std::memcpy(record + 12, a.data(), 12);
            std::memcpy(record + 24, b.data(), 12);
            std::memcpy(record + 36, c.data(), 12);
            writer.write(record, stlRecordSize);
        }
    });
}

}  // namespace um
