#include "reduce/Insertion.h"

#include "mesh/SurfaceWalk.h"
#include "reduce/WorkingMesh.h"

namespace um {

Beyond beyondEdge(const Mesh& mesh, const VertexTriangles& around, TriangleId t, std::size_t k) {
    const VertexId a = mesh.triangles[t][(k + 1) % 3], b = mesh.triangles[t][(k + 2) % 3];
    Beyond found;
    for (const TriangleId other : trianglesNearEdge(around, a, b)) {
        const Triangle& there = mesh.triangles[other];
        if (other == t || !contains(there, a) || !contains(there, b)) continue;
        if (found.isThere()) return {};
        found.triangle = other;
        found.corner = there[0] != a && there[0] != b ? 0 : there[1] != a && there[1] != b ? 1 : 2;
    }
    if (!found.isThere()) return {};
    const Triangle& there = mesh.triangles[found.triangle];
    return there[(found.corner + 1) % 3] == b && there[(found.corner + 2) % 3] == a ? found : Beyond{};
}

bool isBorderEdge(const Mesh& mesh, const VertexTriangles& around, TriangleId t, std::size_t k) {
    const VertexId a = mesh.triangles[t][(k + 1) % 3], b = mesh.triangles[t][(k + 2) % 3];
    const auto others = trianglesNearEdge(around, a, b);
    return std::none_of(others.begin(), others.end(), [&](TriangleId other) {
        return other != t && contains(mesh.triangles[other], a) && contains(mesh.triangles[other], b);
    });
}

bool isSmoothEdge(const Mesh& mesh, TriangleId t, std::size_t k, const Beyond& beyond) {
    if (mesh.wedges.empty()) return true;
    const Triangle &here = mesh.wedges[t], &there = mesh.wedges[beyond.triangle];
    return here[(k + 1) % 3] == there[(beyond.corner + 2) % 3] && here[(k + 2) % 3] == there[(beyond.corner + 1) % 3];
}

void flipEdge(Mesh& mesh, TriangleId t, std::size_t k, const Beyond& beyond) {
    const auto turn = [&](Triangle& x, Triangle& y) {
        const std::uint32_t c = x[k], atA = x[(k + 1) % 3], atB = x[(k + 2) % 3], d = y[beyond.corner];
        x = {c, atA, d};
        y = {c, d, atB};
    };
    if (!mesh.wedges.empty()) turn(mesh.wedges[t], mesh.wedges[beyond.triangle]);
    turn(mesh.triangles[t], mesh.triangles[beyond.triangle]);
}

namespace {

// Corner i of the triangle goes to the vertex; the rest stays.
void replaceCorner(Mesh& mesh, TriangleId t, std::size_t i, VertexId v, WedgeId w) {
    mesh.triangles[t][i] = v;
    if (!mesh.wedges.empty()) mesh.wedges[t][i] = w;
}

TriangleId copyTriangle(Mesh& mesh, std::vector<std::uint16_t>& sections, TriangleId t) {
    mesh.triangles.push_back(Triangle(mesh.triangles[t]));
    if (!mesh.wedges.empty()) mesh.wedges.push_back(Triangle(mesh.wedges[t]));
    sections.push_back(sections[t]);
    return TriangleId(mesh.triangles.size() - 1);
}

// The vertex alone, with all that it carries; no triangle has it yet.
Birth addVertex(Mesh& level, TriangleId t, const TrianglePoint& at) {
    const Triangle corners = level.triangles[t];
    Birth birth{VertexId(level.positions.size()), corners, {}, {at.first(), at.second, at.third}, {}};
    const auto place = [&](std::size_t i) { return Vec3d(level.positions[corners[i]].cast<double>()); };
    birth.place = at.of(place(0), place(1), place(2));
    level.positions.push_back(birth.place.cast<float>());
    const std::array<double, 3>& share = birth.shares;
    if (!level.influences.empty()) {
        const double ofFirst = share[0] + share[1] > 0 ? share[1] / (share[0] + share[1]) : 0;
        level.influences.push_back(blend(blend(level.influences[corners[0]], level.influences[corners[1]], ofFirst),
                                         level.influences[corners[2]], share[2]));
    }
    for (Morph& morph : level.morphs)
        morph.offsets.push_back(float(share[0]) * morph.offsets[corners[0]] +
                                float(share[1]) * morph.offsets[corners[1]] +
                                float(share[2]) * morph.offsets[corners[2]]);
    if (!level.wedges.empty()) std::copy(level.wedges[t].begin(), level.wedges[t].end(), birth.wedges.begin());
    return birth;
}

// What the same vertex is to the triangle beyond the edge opposite to corner k.
Birth acrossEdge(const Mesh& level, const Birth& birth, std::size_t k, const Beyond& beyond) {
    Birth across = birth;
    const double atA = birth.shares[(k + 1) % 3], atB = birth.shares[(k + 2) % 3];
    across.corners = level.triangles[beyond.triangle];
    across.wedges = level.wedges[beyond.triangle];
    across.shares[beyond.corner] = 0;
    across.shares[(beyond.corner + 1) % 3] = atB / (atA + atB);
    across.shares[(beyond.corner + 2) % 3] = atA / (atA + atB);
    return across;
}

}  // namespace

Birth splitTriangle(Mesh& level, std::vector<std::uint16_t>& sections, TriangleId t, const TrianglePoint& at,
                    WedgeId wedge) {
    const VertexId v = VertexId(level.positions.size());
    Birth birth = addVertex(level, t, at);
    for (const std::size_t i : {1u, 2u}) replaceCorner(level, copyTriangle(level, sections, t), i, v, wedge);
    replaceCorner(level, t, 0, v, wedge);
    return birth;
}

std::vector<Birth> splitEdge(Mesh& level, std::vector<std::uint16_t>& sections, TriangleId t, std::size_t k,
                             const Beyond& beyond, const TrianglePoint& at, WedgeId wedge) {
    const VertexId v = VertexId(level.positions.size());
    const bool isSmooth = !beyond.isThere() || isSmoothEdge(level, t, k, beyond);
    std::vector<Birth> births = {addVertex(level, t, at)};
    const auto split = [&](TriangleId side, std::size_t corner, WedgeId w) {
        replaceCorner(level, copyTriangle(level, sections, side), (corner + 1) % 3, v, w);
        replaceCorner(level, side, (corner + 2) % 3, v, w);
    };
    if (!isSmooth) births.push_back(acrossEdge(level, births.front(), k, beyond));
    split(t, k, wedge);
    if (beyond.isThere()) split(beyond.triangle, beyond.corner, isSmooth ? wedge : wedge + 1);
    return births;
}

}  // namespace um
