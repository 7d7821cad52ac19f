#include "mesh/Mesh.h"

#include "base/Error.h"
#include "base/Parallel.h"
#include "base/Units.h"

#include <oneapi/tbb/parallel_sort.h>
#include <algorithm>
#include <atomic>
#include <limits>
#include <map>
#include <utility>

namespace um {
namespace {

constexpr std::uint32_t unused = std::numeric_limits<std::uint32_t>::max();

// Numbers the used entries in order; the others stay `unused`.
std::vector<std::uint32_t> renumbering(std::size_t count, const std::vector<Triangle>& users, std::uint32_t& used) {
    std::vector<std::uint32_t> numbers(count, unused);
    for (const Triangle& triangle : users)
        for (const std::uint32_t index : triangle) numbers[index] = 0;
    used = 0;
    for (std::uint32_t& number : numbers)
        if (number != unused) number = used++;
    return numbers;
}

template <class T>
void keepNumbered(std::vector<T>& values, const std::vector<std::uint32_t>& numbers) {
    if (values.empty()) return;
    std::size_t kept = 0;
    for (std::size_t i = 0; i < numbers.size(); ++i)
        if (numbers[i] != unused) values[kept++] = values[i];
    values.resize(kept);
}

void renumber(std::vector<Triangle>& triangles, const std::vector<std::uint32_t>& numbers) {
    parallelFor(triangles.size(), [&](std::size_t t) {
        for (std::uint32_t& index : triangles[t]) index = numbers[index];
    });
}

// The indices that occur, ascending. Costs by the users, not by what they use, so that a small part of a large mesh is
// cheap.
std::vector<std::uint32_t> usedIndices(const std::vector<Triangle>& users) {
    std::vector<std::uint32_t> used(users.size() * 3);
    parallelFor(users.size(),
                [&](std::size_t t) { std::copy(users[t].begin(), users[t].end(), used.begin() + long(3 * t)); });
    tbb::parallel_sort(used.begin(), used.end());
    used.erase(std::unique(used.begin(), used.end()), used.end());
    return used;
}

template <class T>
std::vector<T> pickUsed(const std::vector<T>& values, const std::vector<std::uint32_t>& used) {
    std::vector<T> picked;
    if (values.empty()) return picked;
    picked.reserve(used.size());
    for (const std::uint32_t index : used) picked.push_back(values[index]);
    return picked;
}

void makeLocal(std::vector<Triangle>& users, const std::vector<std::uint32_t>& used) {
    parallelFor(users.size(), [&](std::size_t t) {
        for (std::uint32_t& index : users[t])
            index = std::uint32_t(std::lower_bound(used.begin(), used.end(), index) - used.begin());
    });
}

void requireIndices(const std::vector<Triangle>& triangles, std::size_t count, const std::string& what) {
    std::atomic<bool> bad = false;
    parallelFor(triangles.size(), [&](std::size_t t) {
        for (const std::uint32_t index : triangles[t])
            if (index >= count) bad = true;
    });
    if (!bad) return;
    for (std::size_t t = 0; t < triangles.size(); ++t)
        for (const std::uint32_t index : triangles[t])
            if (index >= count)
                throw MeshError(what + ": triangle " + std::to_string(t + 1) + " uses vertex number " +
                                std::to_string(std::size_t(index) + 1) + ", but there are only " +
                                std::to_string(count) + "; export the mesh again.");
}

// All but what belongs to vertices beyond their places. Returns which vertices were copied.
std::vector<std::uint32_t> copySections(const Mesh& mesh, const std::vector<Section>& sections, Mesh& result) {
    std::vector<Triangle> wedges;
    for (const Section& section : sections) {
        Section kept = section;
        kept.firstTriangle = TriangleId(result.triangles.size());
        result.sections.push_back(kept);
        const auto append = [&](std::vector<Triangle>& to, const std::vector<Triangle>& from) {
            const auto first = from.begin() + section.firstTriangle;
            to.insert(to.end(), first, first + section.triangleCount);
        };
        append(result.triangles, mesh.triangles);
        if (mesh.hasAttributes()) append(wedges, mesh.wedges.empty() ? mesh.triangles : mesh.wedges);
    }
    std::vector<std::uint32_t> usedVertices = usedIndices(result.triangles);
    result.positions = pickUsed(mesh.positions, usedVertices);
    makeLocal(result.triangles, usedVertices);
    if (mesh.hasAttributes()) {
        const std::vector<std::uint32_t> used = usedIndices(wedges);
        result.normals = pickUsed(mesh.normals, used);
        result.uvs = pickUsed(mesh.uvs, used);
        result.secondUvs = pickUsed(mesh.secondUvs, used);
        result.colors = pickUsed(mesh.colors, used);
        makeLocal(wedges, used);
        result.wedges = std::move(wedges);
    }
    return usedVertices;
}

}  // namespace

std::size_t Mesh::wedgeCount() const {
    std::size_t count = 0;
    forWedgeAttributes(*this, [&](const auto& values) { count = count == 0 ? values.size() : count; });
    return count;
}

Mesh emptyLike(const Mesh& mesh) {
    Mesh result;
    result.parts = mesh.parts;
    result.materials = mesh.materials;
    result.textures = mesh.textures;
    result.skeleton = mesh.skeleton;
    for (const Morph& morph : mesh.morphs) result.morphs.push_back({morph.name, {}});
    result.metresPerUnit = mesh.metresPerUnit;
    result.unitStated = mesh.unitStated;
    result.wantsTangents = mesh.wantsTangents;
    return result;
}

Box3f boundingBox(const Mesh& mesh) {
    constexpr std::size_t chunkSize = 1 << 16;
    std::vector<Box3f> boxes(chunkCount(mesh.positions.size(), chunkSize));
    parallelChunks(mesh.positions.size(), chunkSize, [&](std::size_t chunk, std::size_t begin, std::size_t end) {
        Box3f box;
        for (std::size_t i = begin; i < end; ++i) box.extend(mesh.positions[i]);
        boxes[chunk] = box;
    });
    Box3f result;
    for (const Box3f& box : boxes) result.extend(box);
    return result;
}

double diagonal(const Mesh& mesh) {
    if (mesh.positions.empty()) return 0;
    const Box3f box = boundingBox(mesh);
    return (box.max() - box.min()).cast<double>().norm();
}

std::vector<std::size_t> trianglesByPart(const Mesh& mesh) {
    std::vector<std::size_t> counts(mesh.parts.size(), 0);
    for (const Section& section : mesh.sections) counts[section.part] += section.triangleCount;
    return counts;
}

std::vector<std::uint16_t> sectionOfTriangles(const Mesh& mesh) {
    if (mesh.sections.size() > std::numeric_limits<std::uint16_t>::max())
        throw MeshError("The mesh has " + std::to_string(mesh.sections.size()) +
                        " combinations of part and material; at most 65,535 can be reduced together. Split the file.");
    std::vector<std::uint16_t> result(mesh.triangleCount(), 0);
    for (std::size_t s = 0; s < mesh.sections.size(); ++s) {
        const auto first = result.begin() + mesh.sections[s].firstTriangle;
        std::fill(first, first + mesh.sections[s].triangleCount, std::uint16_t(s));
    }
    return result;
}

void ensureSections(Mesh& mesh, const std::string& partName) {
    if (mesh.parts.empty()) mesh.parts.push_back({partName});
    if (mesh.materials.empty()) {
        Material plain;
        plain.name = "default";
        mesh.materials.push_back(plain);
    }
    if (mesh.sections.empty()) mesh.sections.push_back({0, 0, 0, std::uint32_t(mesh.triangleCount())});
}

std::size_t dropUnused(Mesh& mesh) {
    const std::size_t before = mesh.vertexCount();
    std::uint32_t used = 0;
    // Attributes first: where there are no wedges they are numbered like the vertices.
    if (mesh.hasAttributes()) {
        const std::vector<std::uint32_t> numbers =
            renumbering(mesh.wedgeCount(), mesh.wedges.empty() ? mesh.triangles : mesh.wedges, used);
        forWedgeAttributes(mesh, [&](auto& values) { keepNumbered(values, numbers); });
        renumber(mesh.wedges, numbers);
    }
    const std::vector<std::uint32_t> numbers = renumbering(before, mesh.triangles, used);
    keepNumbered(mesh.positions, numbers);
    forVertexAttributes(mesh, [&](auto& values) { keepNumbered(values, numbers); });
    renumber(mesh.triangles, numbers);
    return before - used;
}

Mesh extractParts(const Mesh& mesh, const std::vector<bool>& wanted) {
    std::vector<Section> sections;
    for (const Section& section : mesh.sections)
        if (wanted[section.part]) sections.push_back(section);
    Mesh result = emptyLike(mesh);
    const std::vector<std::uint32_t> used = copySections(mesh, sections, result);
    result.influences = pickUsed(mesh.influences, used);
    for (std::size_t m = 0; m < mesh.morphs.size(); ++m)
        result.morphs[m].offsets = pickUsed(mesh.morphs[m].offsets, used);
    return result;
}

std::vector<std::vector<Section>> sectionsByPart(const Mesh& mesh) {
    std::vector<std::vector<Section>> result(mesh.parts.size());
    for (const Section& section : mesh.sections) result[section.part].push_back(section);
    return result;
}

Mesh extractSurface(const Mesh& mesh, const std::vector<Section>& sections) {
    Mesh result;
    copySections(mesh, sections, result);
    std::map<std::uint32_t, std::uint32_t> numbers;
    for (Section& section : result.sections) {
        section.part = 0;
        section.material = numbers.try_emplace(section.material, std::uint32_t(numbers.size())).first->second;
    }
    result.parts.resize(1);
    result.materials.resize(std::max<std::size_t>(1, numbers.size()));
    return result;
}

void groupBySections(Mesh& mesh, const std::vector<std::uint16_t>& sections) {
    std::vector<std::size_t> next(mesh.sections.size(), 0);
    for (const std::uint16_t section : sections) ++next[section];
    for (std::size_t s = 0; s < next.size(); ++s) mesh.sections[s].triangleCount = std::uint32_t(next[s]);
    std::size_t first = 0;
    for (std::size_t s = 0; s < next.size(); ++s) {
        mesh.sections[s].firstTriangle = TriangleId(first);
        first += std::exchange(next[s], first);
    }
    const auto sorted = [&](std::vector<Triangle>& values) {
        std::vector<std::size_t> to = next;
        std::vector<Triangle> result(values.size());
        for (std::size_t t = 0; t < values.size(); ++t) result[to[sections[t]]++] = values[t];
        values = std::move(result);
    };
    sorted(mesh.triangles);
    if (!mesh.wedges.empty()) sorted(mesh.wedges);
}

void keepTriangles(Mesh& mesh, const std::vector<std::uint8_t>& kept) {
    const auto isKept = [&](std::size_t t) { return kept[t] != 0; };
    std::vector<Section> sections;
    TriangleId next = 0;
    for (Section section : mesh.sections) {
        const auto first = kept.begin() + section.firstTriangle;
        const auto count = std::uint32_t(section.triangleCount - std::count(first, first + section.triangleCount, 0));
        section.firstTriangle = next;
        section.triangleCount = count;
        next += count;
        if (count > 0) sections.push_back(section);
    }
    mesh.sections = std::move(sections);
    mesh.triangles = parallelFilter(mesh.triangles, isKept);
    if (!mesh.wedges.empty()) mesh.wedges = parallelFilter(mesh.wedges, isKept);
}

bool hasPart(const Mesh& mesh, std::string_view name) {
    return std::any_of(mesh.sections.begin(), mesh.sections.end(),
                       [&](const Section& section) { return mesh.parts[section.part].name == name; });
}

void convertUnit(Mesh& mesh, double metresPerUnit) {
    if (mesh.metresPerUnit == metresPerUnit) return;
    const double factor = mesh.metresPerUnit / metresPerUnit;
    const auto scaleAll = [&](std::vector<Vec3f>& values) {
        parallelFor(values.size(),
                    [&](std::size_t v) { values[v] = (values[v].cast<double>() * factor).cast<float>(); });
    };
    scaleAll(mesh.positions);
    for (Morph& morph : mesh.morphs) scaleAll(morph.offsets);
    for (Joint& joint : mesh.skeleton)
        for (std::size_t i = 12; i < 15; ++i) {
            joint.local[i] = float(joint.local[i] * factor);
            joint.inverseBind[i] = float(joint.inverseBind[i] * factor);
        }
    mesh.metresPerUnit = metresPerUnit;
}

void requireSound(const Mesh& mesh, const std::string& what) {
    if (mesh.triangles.empty()) throw MeshError(what + " has no triangles; choose a file that holds a surface.");
    requireIndices(mesh.triangles, mesh.positions.size(), what);
    if (mesh.hasAttributes()) {
        const std::size_t wedgeCount = mesh.wedgeCount();
        bool fit = true;
        forWedgeAttributes(mesh,
                           [&](const auto& values) { fit = fit && (values.empty() || values.size() == wedgeCount); });
        if (!fit || (!mesh.wedges.empty() && mesh.wedges.size() != mesh.triangles.size()))
            throw MeshError(what + " has attributes of different counts; export the mesh again.");
        requireIndices(mesh.wedges.empty() ? mesh.triangles : mesh.wedges, wedgeCount, what);
    }
    bool fit = true;
    forVertexAttributes(
        mesh, [&](const auto& values) { fit = fit && (values.empty() || values.size() == mesh.positions.size()); });
    for (const Influences& influences : mesh.influences)
        for (std::size_t i = 0; i < 4; ++i)
            fit = fit && (influences.weights[i] == 0 || influences.joints[i] < mesh.skeleton.size());
    if (!fit)
        throw MeshError(what + " has a skin or blend shapes that do not fit its vertices; export the mesh again.");
    std::atomic<std::size_t> bad = mesh.positions.size();
    parallelFor(mesh.positions.size(), [&](std::size_t i) {
        if (mesh.positions[i].allFinite()) return;
        std::size_t known = bad;
        while (i < known && !bad.compare_exchange_weak(known, i)) {
        }
    });
    if (bad < mesh.positions.size())
        throw MeshError(
            what + ": vertex " + std::to_string(bad + 1) +
            " has a coordinate that is not a finite number; repair it where the mesh was made and export again.");
    for (const Material& material : mesh.materials)
        forTextureUses(material, [&](const TextureUse& use) {
            if (use.texture >= int(mesh.textures.size()))
                throw MeshError(what + " has a material with a texture that is not there; export the mesh again.");
        });
    std::size_t next = 0;
    for (const Section& section : mesh.sections) {
        if (section.firstTriangle != next || section.part >= mesh.parts.size() ||
            section.material >= mesh.materials.size())
            throw MeshError(what + " has parts that do not cover its triangles in order.");
        next += section.triangleCount;
    }
    if (next != mesh.triangleCount()) throw MeshError(what + " has parts that do not cover all its triangles.");
}

void requireSurface(const Mesh& mesh, const std::string& what) {
    requireSound(mesh, what);
    const bool hasArea = std::any_of(mesh.triangles.begin(), mesh.triangles.end(), [&](const Triangle& t) {
        const auto at = [&](std::size_t k) { return Vec3d(mesh.positions[t[k]].cast<double>()); };
        return areaNormal(at(0), at(1), at(2)).squaredNorm() > 0;
    });
    if (!hasArea) throw MeshError(what + " has only triangles without area; choose a file that holds a surface.");
}

void requireUsableSize(const Mesh& mesh, const std::string& what) {
    const Box3f box = boundingBox(mesh);
    if (std::max(box.max().maxCoeff(), -box.min().minCoeff()) > largestCoordinate)
        throw MeshError(what + " has coordinates beyond " + formatCount(std::size_t(largestCoordinate)) +
                        ", too large to be reckoned with; scale it down or drop stray vertices where it was made, and "
                        "export again.");
    const float size = box.sizes().maxCoeff();
    if (size > 0 && size < smallestSize)
        throw MeshError(
            what + " is " + formatNumber(double(size)) +
            " units large, too small to be reckoned with; scale it up where it was made, and export again.");
}

}  // namespace um
