#include "reduce/Guard.h"

#include "base/Error.h"
#include "base/File.h"
#include "base/Json.h"
#include "base/Units.h"

#include <array>
#include <charconv>
#include <cmath>
#include <nlohmann/json.hpp>

namespace um {

namespace {

constexpr float usualStrength = 0.5f;
constexpr double strongestFactor = 100;
// A file's word alone allocates no more than this.
constexpr std::size_t mostVertices = 500000000;

bool isStricter(GuardValue a, GuardValue b) {
    return std::abs(a) != std::abs(b) ? std::abs(a) > std::abs(b) : a > b;
}

[[noreturn]] void failGuard(std::string_view text) {
    throw InputError("\"" + std::string(text) +
                     "\" is not a guard: type hold, keep, yield or none, and for keep and yield a strength from 0 to "
                     "1, as in keep 0.8.");
}

Json runsOf(std::span<const GuardValue> values) {
    Json runs = Json::array();
    for (std::size_t begin = 0; begin < values.size();) {
        std::size_t end = begin + 1;
        while (end < values.size() && values[end] == values[begin]) ++end;
        if (values[begin] != 0) runs.push_back({begin, end - begin, formatGuard(values[begin])});
        begin = end;
    }
    return runs;
}

}  // namespace

GuardValue parseGuard(std::string_view text) {
    const std::size_t wordEnd = std::min(text.find(' '), text.size());
    const std::string_view word = text.substr(0, wordEnd);
    float strength = usualStrength;
    if (wordEnd < text.size()) {
        const auto number = parseNumberWithSuffix(text.substr(wordEnd + 1));
        if (!number || !number->suffix.empty() || !(number->number > 0) || number->number > 1) failGuard(text);
        strength = float(number->number);
    }
    if (word == "keep") return strength;
    if (word == "yield") return -strength;
    if (wordEnd < text.size()) failGuard(text);
    if (word == "hold") return guardHold;
    if (word == "none") return 0;
    failGuard(text);
}

std::string formatGuard(GuardValue value) {
    if (value > 1) return "hold";
    if (value == 0) return "none";
    std::array<char, 32> strength;
    const auto [end, problem] = std::to_chars(strength.data(), strength.data() + strength.size(), std::abs(value),
                                              std::chars_format::general, 6);
    return (value > 0 ? "keep " : "yield ") + std::string(strength.data(), end);
}

std::vector<GuardValue> guardOfVertices(const Guard& guard, const Mesh& mesh) {
    std::vector<GuardValue> values(mesh.vertexCount(), 0);
    for (const PartGuard& part : guard.parts) {
        bool isThere = false;
        for (const Section& section : mesh.sections) {
            if (mesh.parts[section.part].name != part.part) continue;
            isThere = true;
            for (std::size_t t = section.firstTriangle; t < section.firstTriangle + section.triangleCount; ++t)
                for (const VertexId v : mesh.triangles[t])
                    if (isStricter(part.value, values[v])) values[v] = part.value;
        }
        if (!isThere)
            throw MeshError("The guard names a part \"" + part.part +
                            "\", which the mesh does not have; umesh inspect "
                            "lists its parts.");
    }
    if (guard.vertices.empty()) return values;
    if (guard.vertices.size() != mesh.vertexCount())
        throw MeshError("The guard was made for a mesh of " + formatCount(guard.vertices.size()) +
                        " vertices, but this one has " + formatCount(mesh.vertexCount()) +
                        "; use the guard of this mesh.");
    for (std::size_t v = 0; v < values.size(); ++v)
        if (guard.vertices[v] != 0) values[v] = guard.vertices[v];
    return values;
}

VertexGuard::VertexGuard(std::vector<GuardValue> values) {
    if (values.empty()) return;
    m_hash = hashBytes({std::as_bytes(std::span(values))});
    m_values = std::make_shared<const std::vector<GuardValue>>(std::move(values));
}

std::span<const GuardValue> VertexGuard::values() const {
    return m_values ? std::span<const GuardValue>(*m_values) : std::span<const GuardValue>();
}

Guard guardFitting(Guard guard, const Mesh& mesh) {
    std::erase_if(guard.parts, [&](const PartGuard& guarded) { return !hasPart(mesh, guarded.part); });
    if (guard.vertices.size() != mesh.vertexCount()) guard.vertices = {};
    return guard;
}

float guardFactor(GuardValue value) {
    return value > 1 ? 1.0f : float(std::pow(strongestFactor, double(value)));
}

Guard guardFromColors(const Mesh& mesh, int channel) {
    if (mesh.colors.empty())
        throw MeshError("The mesh has no vertex colours to read a guard from; choose a guard file instead.");
    std::vector<GuardValue> values(mesh.vertexCount(), 0);
    for (std::size_t t = 0; t < mesh.triangleCount(); ++t)
        for (std::size_t k = 0; k < 3; ++k) {
            const int painted = mesh.colors[mesh.wedgesOf(TriangleId(t))[k]][std::size_t(channel)];
            const GuardValue value = painted == 255   ? guardHold
                                     : painted >= 128 ? float(painted - 128) / 126
                                                      : float(painted - 128) / 128;
            GuardValue& known = values[mesh.triangles[t][k]];
            if (isStricter(value, known)) known = value;
        }
    return {{}, std::move(values)};
}

std::string guardText(const Guard& guard) {
    Json json;
    json["guard"] = 1;
    Json parts = Json::object();
    for (const PartGuard& part : guard.parts) parts[part.part] = formatGuard(part.value);
    json["parts"] = parts;
    if (!guard.vertices.empty()) {
        json["vertex_count"] = guard.vertices.size();
        json["vertices"] = runsOf(guard.vertices.values());
    }
    return json.dump(1, ' ', false, Json::error_handler_t::replace) + "\n";
}

Guard guardFromText(std::string_view text) {
    Guard guard;
    const Json json = Json::parse(text.begin(), text.end(), nullptr, false);
    if (!json.is_object()) throw InputError("it is no JSON.");
    try {
        if (json.at("guard") != 1) throw InputError("it is of another version.");
        const Json parts = json.value("parts", Json::object());
        for (const auto& [part, value] : parts.items())
            guard.parts.push_back({part, parseGuard(value.get<std::string>())});
        if (!json.contains("vertices")) return guard;
        const auto count = json.at("vertex_count").get<std::size_t>();
        if (count > mostVertices) throw InputError("its count of vertices is too large.");
        std::vector<GuardValue> values(count, 0);
        for (const Json& run : json.at("vertices")) {
            const auto first = run.at(0).get<std::size_t>(), length = run.at(1).get<std::size_t>();
            if (first > count || length > count - first) throw InputError("a run of vertices goes beyond their count.");
            std::fill_n(values.begin() + long(first), length, parseGuard(run.at(2).get<std::string>()));
        }
        guard.vertices = std::move(values);
    } catch (const Json::exception&) {
        throw InputError("its parts or vertices are not written as expected.");
    }
    return guard;
}

void writeGuard(const Guard& guard, const std::filesystem::path& file) {
    writeWhole(file, [&](FileWriter& writer) { writer.write(guardText(guard)); });
}

Guard readGuard(const std::filesystem::path& file) {
    const MappedFile mapped(file);
    try {
        return guardFromText(mapped.text());
    } catch (const InputError& error) {
        throw FileError(file.string() + " is not a guard file: " + error.what() +
                        " Write one by the format in docs/FORMATS.md.");
    }
}

}  // namespace um
