#include "chain/Budget.h"

#include "base/Error.h"
#include "base/Units.h"
#include "mesh/Materials.h"

#include <algorithm>
#include <cmath>
#include <set>

namespace um {
namespace {

constexpr double megabyte = 1e6;

// Positions, attributes and indices as a GLB stores them, without its few kilobytes of JSON.
double geometryBytes(const Mesh& mesh) {
    const double vertices = double(std::max(mesh.wedgeCount(), mesh.vertexCount()));
    double each = 12;
    if (!mesh.normals.empty()) each += 12;
    if (!mesh.uvs.empty()) each += 8;
    if (!mesh.secondUvs.empty()) each += 8;
    if (!mesh.colors.empty()) each += 4;
    if (mesh.wantsTangents) each += 16;
    if (!mesh.influences.empty()) each += 24;
    each += 12.0 * double(mesh.morphs.size());
    return vertices * each + double(mesh.triangleCount()) * 3 * (vertices < 65535 ? 2 : 4);
}

std::string amountOf(double value, const std::string& unit) {
    return unit.empty() ? formatCount(std::size_t(std::llround(value))) : formatNumber(value) + " " + unit;
}

}  // namespace

std::vector<BudgetLine> holdAgainst(const Budget& budget, const std::vector<Level>& levels, double fileBytes) {
    double triangles = 0, largest = 0, draws = 0, textures = 0, estimated = 0;
    // Levels share the textures that they did not make smaller.
    std::set<const void*> seen;
    for (const Level& level : levels) {
        const Mesh& mesh = *level.mesh;
        triangles += double(mesh.triangleCount());
        largest = std::max(largest, double(mesh.triangleCount()));
        draws = std::max(draws, double(mesh.sections.size()));
        estimated += geometryBytes(mesh);
        for (const Texture& texture : mesh.textures) {
            if (!seen.insert(texture.bytes.get()).second) continue;
            textures += textureMemory(texture);
            estimated += double(texture.bytes->size());
        }
    }
    return {{"Triangles", "", triangles, double(budget.totalTriangles)},
            {"Triangles per level", "", largest, double(budget.levelTriangles)},
            {"Draw calls per level", "", draws, double(budget.drawCalls)},
            {"Textures", "MB", textures / megabyte, budget.textureMegabytes},
            {"Files", "MB", (fileBytes > 0 ? fileBytes : estimated) / megabyte, budget.fileMegabytes}};
}

Budget parseBudget(std::string_view text) {
    Budget budget;
    std::string rest(text);
    while (!rest.empty()) {
        const std::size_t comma = std::min(rest.find(','), rest.size());
        const std::string piece = rest.substr(0, comma);
        rest = comma < rest.size() ? rest.substr(comma + 1) : "";
        const std::size_t equals = piece.find('=');
        const std::size_t begin = piece.find_first_not_of(' ');
        const auto fail = [&]() {
            throw InputError("\"" + piece +
                             "\" is no budget: write total=180k, level=120k, draws=2, textures=8MB or "
                             "files=4MB, with commas between them.");
        };
        if (equals == std::string::npos || begin >= equals) fail();
        const std::string name = piece.substr(begin, equals - begin), value = piece.substr(equals + 1);
        const auto megabytes = [&] {
            const auto typed = parseNumberWithSuffix(value);
            if (!typed || !(typed->number > 0) || (typed->suffix != "MB" && typed->suffix != "mb")) fail();
            return typed->number;
        };
        if (name == "total")
            budget.totalTriangles = parseCount(value);
        else if (name == "level")
            budget.levelTriangles = parseCount(value);
        else if (name == "draws")
            budget.drawCalls = parseCount(value);
        else if (name == "textures")
            budget.textureMegabytes = megabytes();
        else if (name == "files")
            budget.fileMegabytes = megabytes();
        else
            fail();
    }
    return budget;
}

std::string sentenceOf(const BudgetLine& line) {
    return line.name + ": " + amountOf(line.used, line.unit) +
           (line.allowed > 0 ? " of " + amountOf(line.allowed, line.unit) + " allowed" : std::string());
}

}  // namespace um
