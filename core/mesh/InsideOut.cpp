#include "mesh/InsideOut.h"

#include <cmath>

namespace um {
namespace {

// Of what a ball of the same surface would hold: a card with two sides at the same place holds nothing but rounding.
constexpr double leastShare = 1e-5;

struct Extent {
    Vec3d origin = Vec3d::Zero();
    double sixVolumes = 0, twoAreas = 0;
    TriangleId widest = 0;
    double widestArea = -1;
    bool isClosed = true;

    bool facesInwards() const {
        const double area = twoAreas / 2, ball = std::pow(area, 1.5) / (6 * std::sqrt(pi));
        return isClosed && sixVolumes / 6 < -leastShare * ball;
    }
};

std::array<Vec3d, 3> cornersOf(const Mesh& mesh, TriangleId t) {
    std::array<Vec3d, 3> corners;
    for (std::size_t k = 0; k < 3; ++k) corners[k] = mesh.positions[mesh.triangles[t][k]].cast<double>();
    return corners;
}

std::vector<Extent> extentsOf(const Mesh& mesh, const Pieces& pieces, const EdgeFaults& edges) {
    std::vector<Extent> extents(pieces.count());
    for (TriangleId t = 0; t < mesh.triangleCount(); ++t) {
        Extent& extent = extents[pieces.ofVertex[mesh.triangles[t][0]]];
        const auto [a, b, c] = cornersOf(mesh, t);
        if (extent.widestArea < 0) extent.origin = a;
        const double area = areaNormal(a, b, c).norm();
        extent.sixVolumes += (a - extent.origin).dot((b - extent.origin).cross(c - extent.origin));
        extent.twoAreas += area;
        if (!(area > extent.widestArea)) continue;
        extent.widest = t;
        extent.widestArea = area;
    }
    for (const auto* list : {&edges.borders, &edges.nonManifold, &edges.winding})
        for (const HalfEdge& edge : *list) extents[pieces.ofVertex[edge.from]].isClosed = false;
    return extents;
}

// A place on a piece, and whether a line from it along x has crossed other closed pieces an odd number of times.
struct Feeler {
    std::uint32_t piece;
    Vec3d place;
    bool isWithin = false;
};

// Whether a line along x from `p` meets the triangle.
bool crosses(const std::array<Vec3d, 3>& corners, const Vec3d& p) {
    bool isInside = false;
    for (std::size_t k = 0; k < 3; ++k) {
        const Vec3d &a = corners[k], &b = corners[(k + 1) % 3];
        if ((a.y() > p.y()) == (b.y() > p.y())) continue;
        if (p.z() < a.z() + (p.y() - a.y()) / (b.y() - a.y()) * (b.z() - a.z())) isInside = !isInside;
    }
    if (!isInside) return false;
    const Vec3d normal = areaNormal(corners[0], corners[1], corners[2]);
    return normal.x() != 0 && normal.dot(corners[0] - p) / normal.x() > 0;
}

}  // namespace

std::vector<std::uint8_t> insideOutPieces(const Mesh& mesh, const Pieces& pieces, const EdgeFaults& edges) {
    const std::vector<Extent> extents = extentsOf(mesh, pieces, edges);
    std::vector<Feeler> feelers;
    for (std::uint32_t i = 0; i < extents.size(); ++i) {
        if (!extents[i].facesInwards()) continue;
        // Off the middle, where the edges of a regular shape around it hardly run.
        const auto [a, b, c] = cornersOf(mesh, extents[i].widest);
        feelers.push_back({i, 0.4152 * a + 0.3127 * b + 0.2721 * c});
    }
    std::sort(feelers.begin(), feelers.end(),
              [](const Feeler& a, const Feeler& b) { return a.place.y() < b.place.y(); });
    for (TriangleId t = 0; t < mesh.triangleCount() && !feelers.empty(); ++t) {
        const std::uint32_t piece = pieces.ofVertex[mesh.triangles[t][0]];
        if (!extents[piece].isClosed) continue;
        const std::array<Vec3d, 3> corners = cornersOf(mesh, t);
        const auto [least, most] = std::minmax({corners[0].y(), corners[1].y(), corners[2].y()});
        auto feeler = std::lower_bound(feelers.begin(), feelers.end(), least,
                                       [](const Feeler& one, double y) { return one.place.y() < y; });
        for (; feeler != feelers.end() && feeler->place.y() <= most; ++feeler)
            if (feeler->piece != piece && crosses(corners, feeler->place)) feeler->isWithin = !feeler->isWithin;
    }
    std::vector<std::uint8_t> isInsideOut(pieces.count(), 0);
    for (const Feeler& feeler : feelers) isInsideOut[feeler.piece] = feeler.isWithin ? 0 : 1;
    return isInsideOut;
}

}  // namespace um
