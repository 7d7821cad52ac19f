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

Reduced reduceMesh(const Mesh& source, const ReduceSettings& settings, const Progress& progress) {
    requireSound(source, "The mesh");
    if (settings.targetTriangles == 0) throw MeshError("A target of 0 triangles leaves nothing; ask for 1 or more.");
    Reduced result;
    if (settings.targetTriangles >= source.triangleCount()) {
        result.mesh = source;
        progress.at(1);
        return result;
    }
    ContractionMesh working(source, progress.span(0, 0.1));
    result.targetMet = contractTo(working, settings.targetTriangles, progress.span(0.1, 0.95));
    result.mesh = working.finish(source);
    if (!source.normals.empty()) makeNormals(result.mesh, settings.creaseDegrees);
    progress.at(1);
    return result;
}

}  // namespace um
