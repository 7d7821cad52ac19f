#include "reduce/Reduce.h"

#include "base/Error.h"
#include "mesh/Normals.h"
#include "reduce/Contraction.h"

#include <cmath>

namespace um {

namespace {

std::vector<std::uint32_t> partOfSections(const Mesh& mesh) {
    std::vector<std::uint32_t> parts;
    for (const Section& section : mesh.sections) parts.push_back(section.part);
    return parts;
}

}  // namespace

Reduction::Reduction(const Mesh& source, const Progress& progress) : m_source(source) {
    requireSound(source, "The mesh");
    WorkingMesh working(source, {}, {}, {}, false, progress);
    m_contraction = std::make_unique<Contraction>(std::move(working), trianglesByPart(source),
                                                  std::vector<std::size_t>(), partOfSections(source));
}

Reduction::~Reduction() = default;

Reduction::Reduction(const Reduction& other)
    : m_source(other.m_source), m_contraction(std::make_unique<Contraction>(*other.m_contraction)) {}

Reduction::Reduction(Reduction&& other) noexcept = default;

bool Reduction::reduceTo(std::size_t targetTriangles, const Progress& progress) {
    if (targetTriangles == 0) throw MeshError("A target of 0 triangles leaves nothing; ask for 1 or more.");
    return m_contraction->contractTo(targetTriangles, progress);
}

std::size_t Reduction::triangles() const {
    return m_contraction->triangles();
}

Mesh Reduction::mesh(double creaseDegrees) const {
    Mesh result = m_contraction->mesh().finish(m_source);
    if (!m_source.normals.empty()) makeNormals(result, creaseDegrees);
    return result;
}

Reduced reduceMesh(const Mesh& source, const ReduceSettings& settings, const Progress& progress) {
    Reduced result;
    if (settings.targetTriangles >= source.triangleCount() && !source.triangles.empty()) {
        requireSound(source, "The mesh");
        result.mesh = source;
        progress.at(1);
        return result;
    }
    Reduction reduction(source, progress.span(0, 0.1));
    result.targetMet = reduction.reduceTo(settings.targetTriangles, progress.span(0.1, 0.95));
    result.mesh = reduction.mesh(settings.creaseDegrees);
    progress.at(1);
    return result;
}

}  // namespace um
