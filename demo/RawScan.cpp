#include "demo/RawScan.h"

#include "demo/CoralHead.h"

namespace um::demo {

namespace {

// Of a mesh in a ball around a place on it.
std::vector<TriangleId> trianglesNear(const Mesh& mesh, const Vec3f& place, double radius) {
    std::vector<TriangleId> found;
    for (TriangleId t = 0; t < mesh.triangleCount(); ++t) {
        const Triangle& triangle = mesh.triangles[t];
        const Vec3f middle =
            (mesh.positions[triangle[0]] + mesh.positions[triangle[1]] + mesh.positions[triangle[2]]) / 3;
        if (double((middle - place).norm()) < radius) found.push_back(t);
    }
    return found;
}

// A vertex far from the others' numbers each time, always the same one.
Vec3f somewhereOn(const Mesh& mesh, std::uint64_t number) {
    return mesh.positions[std::size_t(mixBits(number + 1) % mesh.vertexCount())];
}

}  // namespace

Mesh makeRawScan() {
    Mesh scan = makeCoralHead(200000);
    const double size = diagonal(scan);
    const auto repeat = [&](TriangleId t) { scan.triangles.push_back(Triangle(scan.triangles[t])); };

    // Turned inside out where two sweeps overlap.
    for (const TriangleId t : trianglesNear(scan, somewhereOn(scan, 5), 0.03 * size))
        std::swap(scan.triangles[t][1], scan.triangles[t][2]);
    // Written twice at a seam of the scan.
    for (const TriangleId t : trianglesNear(scan, somewhereOn(scan, 11), 0.008 * size)) repeat(t);
    // Dust: scraps of the surface, small, floating above it.
    const Vec3f middle = boundingBox(scan).center();
    for (std::uint64_t i = 0; i < 24; ++i) {
        const Vec3f place = somewhereOn(scan, 100 + i);
        const Vec3f lifted = middle + 1.06f * (place - middle);
        for (const TriangleId t : trianglesNear(scan, place, 0.004 * size)) {
            const Triangle triangle = scan.triangles[t];
            const auto first = VertexId(scan.vertexCount());
            for (const VertexId v : triangle) scan.positions.push_back(lifted + 0.6f * (scan.positions[v] - place));
            scan.triangles.push_back({first, first + 1, first + 2});
        }
    }
    // What the scanner did not see.
    std::vector<std::uint8_t> kept(scan.triangleCount(), 1);
    for (std::uint64_t i = 0; i < 9; ++i)
        for (const TriangleId t : trianglesNear(scan, somewhereOn(scan, 40 + i), (0.004 + 0.003 * double(i)) * size))
            kept[t] = 0;
    scan.sections.clear();
    scan.parts.clear();
    scan.materials.clear();
    ensureSections(scan, "Raw scan");
    keepTriangles(scan, kept);
    dropUnused(scan);
    return scan;
}

}  // namespace um::demo
