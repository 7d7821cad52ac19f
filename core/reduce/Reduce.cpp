#include "reduce/Reduce.h"

#include "base/Error.h"
#include "mesh/Normals.h"
#include "reduce/Contraction.h"

#include <cmath>

namespace um {
namespace {

// Each pass takes a share of what is there, so that the logarithm of the count falls evenly.
double shareDone(std::size_t from, std::size_t now, std::size_t target) {
    return std::log(double(from) / double(now)) / std::max(1e-9, std::log(double(from) / double(target)));
}

// One triangle is left too many, and inner edges take two: a border edge fits exactly, else one under is the closest.
bool takeLastTriangle(ContractionMesh& mesh, Strictness strictness, const Progress& progress) {
    return mesh.contractCheapest(1, strictness, progress) > 0 || mesh.contractCheapest(2, strictness, progress) > 0;
}

bool contractTo(ContractionMesh& mesh, std::size_t target, const Progress& progress) {
    const std::size_t from = mesh.liveTriangles();
    for (const Strictness strictness : {Strictness::Careful, Strictness::Relaxed, Strictness::LastResort}) {
        while (mesh.liveTriangles() > target) {
            progress.at(shareDone(from, mesh.liveTriangles(), target));
            if (mesh.pass(target, strictness, progress) > 0) continue;
            if (mesh.liveTriangles() - target != 1 || !takeLastTriangle(mesh, strictness, progress)) break;
        }
    }
    return mesh.liveTriangles() <= target;
}

}  // namespace

Reduction::Reduction(const Mesh& source, const Progress& progress) : m_source(source) {
    requireSound(source, "The mesh");
    m_working = std::make_unique<ContractionMesh>(source, progress);
}

Reduction::~Reduction() = default;

Reduction::Reduction(const Reduction& other)
    : m_source(other.m_source), m_working(std::make_unique<ContractionMesh>(*other.m_working)) {}

Reduction::Reduction(Reduction&& other) noexcept = default;

bool Reduction::reduceTo(std::size_t targetTriangles, const Progress& progress) {
    if (targetTriangles == 0) throw MeshError("A target of 0 triangles leaves nothing; ask for 1 or more.");
    return contractTo(*m_working, targetTriangles, progress);
}

std::size_t Reduction::triangles() const {
    return m_working->liveTriangles();
}

Mesh Reduction::mesh(double creaseDegrees) const {
    Mesh result = ContractionMesh(*m_working).finish(m_source);
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
