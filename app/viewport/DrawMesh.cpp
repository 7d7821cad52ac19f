#include "app/viewport/DrawMesh.h"

#include "mesh/Connectivity.h"
#include "reduce/Cluster.h"

namespace um::app {
namespace {

DrawMesh::PackedNormal packed(const Vec3f& normal) {
    const auto component = [](float x) { return std::int16_t(std::clamp(x, -1.0f, 1.0f) * 32767.0f); };
    return {component(normal.x()), component(normal.y()), component(normal.z()), 0};
}

std::shared_ptr<const DrawMesh> makeDrawMesh(std::shared_ptr<const Mesh> mesh, const Deviation* evidence,
                                             const Progress& progress) {
    auto drawn = std::make_shared<DrawMesh>();
    drawn->mesh = mesh;
    drawn->box = boundingBox(*mesh);
    drawn->drawsWedges = !mesh->normals.empty() || !mesh->colors.empty();
    std::vector<Vec3f> smooth;
    if (mesh->normals.empty()) smooth = vertexNormals(*mesh, findVertexTriangles(mesh->triangles, mesh->vertexCount()));
    progress.at(0.5);
    if (!drawn->drawsWedges) {
        drawn->normals.resize(mesh->vertexCount());
        for (std::size_t v = 0; v < smooth.size(); ++v) drawn->normals[v] = packed(smooth[v]);
        if (evidence != nullptr) drawn->deviation = evidence->atLevelVertex;
        return drawn;
    }
    const std::size_t count = mesh->wedgeCount();
    drawn->ownPositions.resize(count);
    drawn->normals.resize(count);
    drawn->colors = mesh->colors;
    if (evidence != nullptr) drawn->deviation.resize(count);
    for (std::size_t t = 0; t < mesh->triangleCount(); ++t)
        for (std::size_t corner = 0; corner < 3; ++corner) {
            const VertexId v = mesh->triangles[t][corner];
            const WedgeId w = mesh->wedgesOf(TriangleId(t))[corner];
            drawn->ownPositions[w] = mesh->positions[v];
            drawn->normals[w] = packed(mesh->normals.empty() ? smooth[v] : mesh->normals[w]);
            if (evidence != nullptr) drawn->deviation[w] = evidence->atLevelVertex[v];
        }
    return drawn;
}

}  // namespace

Drawable makeDrawable(std::shared_ptr<const Mesh> mesh, const Deviation* evidence, const Progress& progress) {
    Drawable drawable;
    drawable.full = makeDrawMesh(mesh, evidence, progress.span(0, 0.6));
    if (mesh->triangleCount() > standInLimit) {
        auto coarse = std::make_shared<const Mesh>(clusterVertices(*mesh, standInLimit / 2, progress.span(0.6, 0.95)));
        drawable.standIn = makeDrawMesh(std::move(coarse), nullptr, progress.span(0.95, 1));
    }
    progress.at(1);
    return drawable;
}

}  // namespace um::app
