#include "base/Parallel.h"
#include "mesh/Cracks.h"
#include "mesh/Health.h"
#include "mesh/InsideOut.h"

#include <map>

namespace um {
namespace {

// The smallest area needs the cube of the edges in time; what is larger is an opening rather than a hole.
constexpr std::size_t mostEdges = 1000;

std::size_t dropWhere(Mesh& mesh, const std::vector<std::uint8_t>& kept) {
    const auto gone = std::size_t(std::count(kept.begin(), kept.end(), 0));
    // A mesh of nothing is no repair.
    if (gone == 0 || gone == kept.size()) return 0;
    keepTriangles(mesh, kept);
    dropUnused(mesh);
    return gone;
}

std::size_t dropDuplicates(Mesh& mesh) {
    std::vector<std::uint8_t> kept(mesh.triangleCount(), 1);
    for (const TriangleId t : findEdgeFaults(mesh, findVertexTriangles(mesh.triangles, mesh.vertexCount())).duplicates)
        kept[t] = 0;
    return dropWhere(mesh, kept);
}

// Those with three corners in a row hold their neighbours together: without them the surface would be torn open.
std::size_t dropCollapsed(Mesh& mesh) {
    std::vector<std::uint8_t> kept(mesh.triangleCount());
    for (std::size_t t = 0; t < kept.size(); ++t) {
        const Triangle& triangle = mesh.triangles[t];
        kept[t] = triangle[0] != triangle[1] && triangle[1] != triangle[2] && triangle[2] != triangle[0];
    }
    return dropWhere(mesh, kept);
}

std::size_t dropBits(Mesh& mesh, double size) {
    const Pieces pieces = findPieces(mesh.triangles, mesh.vertexCount());
    const std::vector<std::uint8_t> isBit = looseBits(mesh, pieces, size);
    std::vector<std::uint8_t> kept(mesh.triangleCount());
    for (std::size_t t = 0; t < kept.size(); ++t) kept[t] = isBit[pieces.ofVertex[mesh.triangles[t][0]]] == 0;
    if (dropWhere(mesh, kept) == 0) return 0;
    return std::size_t(std::count(isBit.begin(), isBit.end(), 1));
}

std::size_t dropIsolated(Mesh& mesh) {
    const std::size_t before = mesh.vertexCount();
    dropUnused(mesh);
    return before - mesh.vertexCount();
}

void turnOver(Mesh& mesh, TriangleId t) {
    std::swap(mesh.triangles[t][1], mesh.triangles[t][2]);
    if (!mesh.wedges.empty()) std::swap(mesh.wedges[t][1], mesh.wedges[t][2]);
}

// Whether the triangles asked about look, on the whole, to where their normals point.
bool agreesWithNormals(const Mesh& mesh, const std::vector<std::uint8_t>& asked) {
    double sum = 0;
    for (TriangleId t = 0; t < asked.size(); ++t) {
        if (asked[t] == 0) continue;
        const auto at = [&](std::size_t k) { return Vec3d(mesh.positions[mesh.triangles[t][k]].cast<double>()); };
        const Vec3d normal = areaNormal(at(0), at(1), at(2));
        for (const WedgeId w : mesh.wedgesOf(t)) sum += normal.dot(mesh.normals[w].cast<double>());
    }
    return sum >= 0;
}

// As a rule the normals were right and only the corners in the wrong order; else they belong to the other side now.
void dropMisledNormals(Mesh& mesh, const std::vector<std::uint8_t>& isTurned) {
    if (!mesh.normals.empty() && !agreesWithNormals(mesh, isTurned)) mesh.normals.clear();
}

// The triangles of those pieces that are inside out. @returns how many pieces
template <class Visit>
std::size_t forInsideOut(const Mesh& mesh, const Progress& progress, const Visit& visit) {
    const Pieces pieces = findPieces(mesh.triangles, mesh.vertexCount());
    const EdgeFaults edges = findEdgeFaults(mesh, findVertexTriangles(mesh.triangles, mesh.vertexCount()));
    const std::vector<std::uint8_t> isInsideOut = insideOutPieces(mesh, pieces, edges, progress);
    for (TriangleId t = 0; t < mesh.triangleCount(); ++t)
        if (isInsideOut[pieces.ofVertex[mesh.triangles[t][0]]] != 0) visit(t);
    return std::size_t(std::count(isInsideOut.begin(), isInsideOut.end(), 1));
}

// From triangle to triangle over edges of two: the neighbour is turned to agree. A piece of which something was turned
// then faces as most of its triangles did, and the right way if it encloses anything.
std::size_t orient(Mesh& mesh, const Progress& progress) {
    const VertexTriangles around = findVertexTriangles(mesh.triangles, mesh.vertexCount());
    std::vector<std::uint8_t> isSeen(mesh.triangleCount(), 0), isTurned(isSeen), isOfTurned(isSeen);
    const auto turn = [&](TriangleId t) {
        turnOver(mesh, t);
        isTurned[t] ^= 1;
    };
    std::vector<TriangleId> piece;
    for (TriangleId start = 0; start < mesh.triangleCount(); ++start) {
        if (isSeen[start] != 0) continue;
        piece.assign(1, start);
        isSeen[start] = 1;
        std::size_t turnedHere = 0;
        for (std::size_t i = 0; i < piece.size(); ++i) {
            if (i % 1024 == 0) progress.check();
            const TriangleId t = piece[i];
            for (std::size_t k = 0; k < 3; ++k) {
                const VertexId a = mesh.triangles[t][k], b = mesh.triangles[t][(k + 1) % 3];
                TriangleId neighbour = t;
                int count = 0;
                for (const TriangleId other : trianglesNearEdge(around, a, b)) {
                    const Triangle& there = mesh.triangles[other];
                    if (other == t || !contains(there, a) || !contains(there, b)) continue;
                    neighbour = other;
                    ++count;
                }
                if (count != 1 || isSeen[neighbour] != 0) continue;
                isSeen[neighbour] = 1;
                piece.push_back(neighbour);
                const Triangle& there = mesh.triangles[neighbour];
                const auto at = std::size_t(std::find(there.begin(), there.end(), a) - there.begin());
                if (there[(at + 1) % 3] != b) continue;
                turn(neighbour);
                ++turnedHere;
            }
        }
        if (turnedHere == 0) continue;
        for (const TriangleId t : piece) isOfTurned[t] = 1;
        if (2 * turnedHere > piece.size())
            for (const TriangleId t : piece) turn(t);
    }
    if (std::find(isOfTurned.begin(), isOfTurned.end(), 1) == isOfTurned.end()) return 0;
    forInsideOut(mesh, progress, [&](TriangleId t) {
        if (isOfTurned[t] != 0) turn(t);
    });
    dropMisledNormals(mesh, isTurned);
    return std::size_t(std::count(isTurned.begin(), isTurned.end(), 1));
}

std::size_t turnInsideOut(Mesh& mesh, const Progress& progress) {
    std::vector<std::uint8_t> isTurned(mesh.triangleCount(), 0);
    const std::size_t pieces = forInsideOut(mesh, progress, [&](TriangleId t) {
        turnOver(mesh, t);
        isTurned[t] = 1;
    });
    dropMisledNormals(mesh, isTurned);
    return pieces;
}

// The triangles over a loop with the least area together, as indices of the loop. Chords that are edges of the mesh
// already are left out: a third triangle would meet there.
std::vector<std::array<std::size_t, 3>> leastAreaOver(const Mesh& mesh, const VertexTriangles& around,
                                                      const std::vector<VertexId>& loop) {
    const std::size_t n = loop.size();
    constexpr double never = std::numeric_limits<double>::infinity();
    const auto place = [&](std::size_t i) { return Vec3d(mesh.positions[loop[i]].cast<double>()); };
    const auto isEdge = [&](std::size_t i, std::size_t j) {
        const auto list = around.of(loop[i]);
        return std::any_of(list.begin(), list.end(), [&](TriangleId t) {
            const Triangle& triangle = mesh.triangles[t];
            return std::find(triangle.begin(), triangle.end(), loop[j]) != triangle.end();
        });
    };
    std::vector<double> least(n * n, 0);
    std::vector<std::size_t> through(n * n, 0);
    for (std::size_t span = 2; span < n; ++span)
        for (std::size_t i = 0; i + span < n; ++i) {
            const std::size_t k = i + span;
            double& best = least[i * n + k];
            best = never;
            if (span < n - 1 && isEdge(i, k)) continue;
            for (std::size_t m = i + 1; m < k; ++m) {
                const double area =
                    least[i * n + m] + least[m * n + k] + areaNormal(place(i), place(m), place(k)).norm();
                if (area >= best) continue;
                best = area;
                through[i * n + k] = m;
            }
        }
    std::vector<std::array<std::size_t, 3>> result;
    if (!(least[n - 1] < never)) return result;
    std::vector<std::pair<std::size_t, std::size_t>> open = {{0, n - 1}};
    while (!open.empty()) {
        const auto [i, k] = open.back();
        open.pop_back();
        if (k - i < 2) continue;
        const std::size_t m = through[i * n + k];
        result.push_back({i, m, k});
        open.push_back({i, m});
        open.push_back({m, k});
    }
    return result;
}

double lengthAround(const Mesh& mesh, const std::vector<VertexId>& loop) {
    double length = 0;
    for (std::size_t i = 0; i < loop.size(); ++i)
        length += double((mesh.positions[loop[(i + 1) % loop.size()]] - mesh.positions[loop[i]]).norm());
    return length;
}

std::size_t fillHoles(Mesh& mesh, double longest, const Progress& progress) {
    const VertexTriangles around = findVertexTriangles(mesh.triangles, mesh.vertexCount());
    const std::vector<HalfEdge> borders = findEdgeFaults(mesh, around).borders;
    std::map<VertexId, TriangleId> borderTriangle;
    for (const HalfEdge& edge : borders) borderTriangle.emplace(edge.from, edge.triangle);
    std::vector<std::uint16_t> sections = sectionOfTriangles(mesh);
    std::size_t filled = 0;
    for (const std::vector<VertexId>& loop : borderLoops(borders)) {
        progress.check();
        if (loop.size() < 3 || loop.size() > mostEdges || !(lengthAround(mesh, loop) <= longest)) continue;
        std::vector<VertexId> corners = loop;
        std::sort(corners.begin(), corners.end());
        if (std::adjacent_find(corners.begin(), corners.end()) != corners.end()) continue;
        // A run that did not close, at a broken place, is no hole.
        const bool closes = std::any_of(borders.begin(), borders.end(), [&](const HalfEdge& edge) {
            return edge.from == loop.back() && edge.to == loop.front();
        });
        if (!closes) continue;
        const auto triangles = leastAreaOver(mesh, around, loop);
        for (const auto& [i, m, k] : triangles) {
            // Against the run of the border, whose triangles lie on the other side.
            const Triangle added = {loop[k], loop[m], loop[i]};
            if (!mesh.wedges.empty()) {
                Triangle wedges{};
                for (std::size_t c = 0; c < 3; ++c) {
                    const TriangleId t = borderTriangle.at(added[c]);
                    const Triangle& there = mesh.triangles[t];
                    wedges[c] =
                        mesh.wedges[t][std::size_t(std::find(there.begin(), there.end(), added[c]) - there.begin())];
                }
                mesh.wedges.push_back(wedges);
            }
            mesh.triangles.push_back(added);
            sections.push_back(sections[borderTriangle.at(loop.front())]);
        }
        filled += triangles.empty() ? 0 : 1;
    }
    if (filled > 0) groupBySections(mesh, sections);
    return filled;
}

}  // namespace

std::size_t repairFault(Mesh& mesh, Fault fault, double size, const Progress& progress) {
    switch (fault) {
        case Fault::Crack: return weldCracks(mesh, size);
        case Fault::Hole: return fillHoles(mesh, size, progress);
        case Fault::Winding: return orient(mesh, progress);
        case Fault::InsideOut: return turnInsideOut(mesh, progress);
        case Fault::ZeroArea: return dropCollapsed(mesh);
        case Fault::Duplicate: return dropDuplicates(mesh);
        case Fault::LooseBit: return dropBits(mesh, size);
        case Fault::Isolated: return dropIsolated(mesh);
        default: return 0;
    }
}

}  // namespace um
