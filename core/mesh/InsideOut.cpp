#include "mesh/InsideOut.h"

#include "base/Parallel.h"

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

std::vector<Extent> extentsOf(const Mesh& mesh, const Pieces& pieces, const EdgeFaults& edges,
                              const Progress& progress) {
    std::vector<Extent> extents(pieces.count());
    for (TriangleId t = 0; t < mesh.triangleCount(); ++t) {
        if (t % 65536 == 0) progress.check();
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

// Feelers run along x once space is sheared like that: askew, so that they miss the edges of regular shapes, and do not
// all run through one another where pieces stand in a row.
Vec3d sheared(const Vec3d& p) {
    return {p.x(), p.y() - 0.3172 * p.x(), p.z() - 0.2236 * p.x()};
}

// A place on a piece, and whether a line from it has crossed other closed pieces an odd number of times.
struct Feeler {
    std::uint32_t piece;
    Vec3d place;  // sheared
    std::uint8_t isWithin = 0;
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

// Which feelers start where, seen along x: a grid with about one in each cell.
class FeelerGrid {
public:
    explicit FeelerGrid(const std::vector<Feeler>& feelers)
        : m_cells(std::size_t(std::ceil(std::sqrt(double(feelers.size()))))) {
        for (const Feeler& feeler : feelers) m_box.extend(flat(feeler.place));
        m_groups = groupItems(feelers.size(), m_cells * m_cells, [&](std::size_t f, const auto& visit) {
            const Eigen::Vector2d place = flat(feelers[f].place);
            visit(cellAlong(1, place[1]) * m_cells + cellAlong(0, place[0]));
        });
    }

    // Calls visit(feeler) for those that a triangle may lie before or behind.
    template <class Visit>
    void forCovered(const std::array<Vec3d, 3>& corners, const Visit& visit) const {
        Eigen::AlignedBox2d box;
        for (const Vec3d& corner : corners) box.extend(flat(corner));
        if (!box.intersects(m_box)) return;
        for (std::size_t row = cellAlong(1, box.min()[1]); row <= cellAlong(1, box.max()[1]); ++row)
            for (std::size_t column = cellAlong(0, box.min()[0]); column <= cellAlong(0, box.max()[0]); ++column)
                for (const std::uint32_t feeler : m_groups.of(row * m_cells + column)) visit(feeler);
    }

private:
    static Eigen::Vector2d flat(const Vec3d& p) { return {p.y(), p.z()}; }

    std::size_t cellAlong(int axis, double at) const {
        const double size = m_box.sizes()[axis];
        const double cell = size > 0 ? (at - m_box.min()[axis]) / size * double(m_cells) : 0;
        return std::size_t(std::clamp(cell, 0.0, double(m_cells - 1)));
    }

    std::size_t m_cells;  // along each axis
    Eigen::AlignedBox2d m_box;
    Groups m_groups;
};

}  // namespace

std::vector<std::uint8_t> insideOutPieces(const Mesh& mesh, const Pieces& pieces, const EdgeFaults& edges,
                                          const Progress& progress) {
    const std::vector<Extent> extents = extentsOf(mesh, pieces, edges, progress);
    std::vector<std::uint8_t> isInsideOut(pieces.count(), 0);
    std::vector<Feeler> feelers;
    for (std::uint32_t i = 0; i < extents.size(); ++i) {
        if (!extents[i].facesInwards()) continue;
        // Off the middle, where the edges of a regular shape around it hardly run.
        const auto [a, b, c] = cornersOf(mesh, extents[i].widest);
        feelers.push_back({i, sheared(0.4152 * a + 0.3127 * b + 0.2721 * c)});
    }
    if (feelers.empty()) return isInsideOut;
    const FeelerGrid grid(feelers);
    parallelRanges(mesh.triangleCount(), [&](std::size_t begin, std::size_t end) {
        progress.check();
        for (auto t = TriangleId(begin); t < end; ++t) {
            const std::uint32_t piece = pieces.ofVertex[mesh.triangles[t][0]];
            if (!extents[piece].isClosed) continue;
            std::array<Vec3d, 3> corners = cornersOf(mesh, t);
            for (Vec3d& corner : corners) corner = sheared(corner);
            grid.forCovered(corners, [&](std::uint32_t f) {
                if (feelers[f].piece != piece && crosses(corners, feelers[f].place))
                    std::atomic_ref(feelers[f].isWithin).fetch_xor(1, std::memory_order_relaxed);
            });
        }
    });
    for (const Feeler& feeler : feelers) isInsideOut[feeler.piece] = feeler.isWithin == 0;
    return isInsideOut;
}

}  // namespace um
