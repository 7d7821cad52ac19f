#include "reduce/Reduce.h"

#include "base/Error.h"
#include "mesh/Normals.h"
#include "reduce/Contraction.h"
#include "reduce/Polish.h"

#include <cmath>

namespace um {

namespace {

std::vector<std::uint32_t> partOfSections(const Mesh& mesh) {
    std::vector<std::uint32_t> parts;
    for (const Section& section : mesh.sections) parts.push_back(section.part);
    return parts;
}

// The vertices of `level` have been moved from where they were in `before`: what its wedges carry follows.
void moveAttributes(const WorkingMesh& before, Mesh& level) {
    if (before.attributes.channels() == 0) return;
    Attributes attributes = before.attributes;
    std::vector<std::uint8_t> moved(attributes.wedgeCount(), 0);
    for (std::size_t t = 0; t < level.triangleCount(); ++t)
        for (std::size_t k = 0; k < 3; ++k) {
            const WedgeId w = level.wedges[t][k];
            const VertexId v = level.triangles[t][k];
            if (moved[w] != 0 || level.positions[v] == before.positions[v]) continue;
            moved[w] = 1;
            attributes.follow(w, level.positions[v].cast<double>() - before.place(v));
        }
    attributes.store(level);
}

}  // namespace

Reduction::Reduction(const Mesh& source, const Progress& progress) : m_source(source) {
    requireSound(source, "The mesh");
    WorkingMesh working(source, {}, {}, {}, false, progress);
    m_sourceLines = working.lines();
    m_contraction = std::make_unique<Contraction>(std::move(working), trianglesByPart(source),
                                                  std::vector<std::size_t>(), partOfSections(source));
}

Reduction::~Reduction() = default;

Reduction::Reduction(const Reduction& other)
    : m_source(other.m_source),
      m_sourceLines(other.m_sourceLines),
      m_contraction(std::make_unique<Contraction>(*other.m_contraction)) {}

Reduction::Reduction(Reduction&& other) noexcept = default;

bool Reduction::reduceTo(std::size_t targetTriangles, const Progress& progress) {
    if (targetTriangles == 0) throw MeshError("A target of 0 triangles leaves nothing; ask for 1 or more.");
    return m_contraction->contractTo(targetTriangles, progress);
}

std::size_t Reduction::triangles() const {
    return m_contraction->triangles();
}

Mesh Reduction::mesh(const ReduceSettings& settings, const Progress& progress) const {
    Contraction finished(*m_contraction);
    finished.finish();
    Mesh result = finished.mesh().finish(m_source);
    if (settings.polish) {
        polish(result, m_source,
               {finished.destinations(), finished.mesh().kinds, m_sourceLines, finished.mesh().lines()}, {}, progress);
        moveAttributes(finished.mesh(), result);
    }
    if (!m_source.normals.empty()) makeNormals(result, settings.creaseDegrees);
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
    result.targetMet = reduction.reduceTo(settings.targetTriangles, progress.span(0.1, settings.polish ? 0.7 : 0.95));
    result.mesh = reduction.mesh(settings, progress.span(settings.polish ? 0.7 : 0.95, 1));
    progress.at(1);
    return result;
}

}  // namespace um
