#include "measure/DistanceBound.h"

#include "base/Parallel.h"

#include <cmath>
#include <limits>

namespace um {
namespace {

constexpr double accuracy = 0.02;

// A round cuts the pieces whose bound is at least this share of the worst one.
constexpr double worstShare = 0.7;

// A piece of a measured triangle, with what is known at its corners.
struct Piece {
    std::array<Vec3d, 3> corners;
    std::array<double, 3> distances;
    std::array<TriangleId, 3> closest;
    double bound =
        std::numeric_limits<double>::infinity();  // no point of it is farther than this from the other surface
};

// The triangles around a vertex, seen along its normal: they cover a disc, and lie between two heights. At a border
// they cover what of the disc lies on the inner side of both border edges.
struct Ring {
    Vec3f normal = Vec3f::Zero();
    float radius = 0;  // of the disc; 0 where the ring is folded or not manifold
    float low = 0, high = 0;
    std::array<Vec3f, 2> inwards = {Vec3f::Zero(),
                                    Vec3f::Zero()};  // square to the border edges; zero inside the surface
};

double distanceToSegment(const Eigen::Vector2d& a, const Eigen::Vector2d& b) {
    const Eigen::Vector2d along = b - a;
    const double length = along.squaredNorm();
    const double share = length > 0 ? std::clamp(-a.dot(along) / length, 0.0, 1.0) : 0.0;
    return (a + share * along).norm();
}

Ring ringAround(const Mesh& mesh, VertexId v, std::span<const TriangleId> list) {
    Ring ring;
    const Vec3d here = mesh.positions[v].cast<double>();
    Vec3d sum = Vec3d::Zero();
    // One fan: the edges opposite the vertex hang together as a circle or, at a border, as a chain.
    std::array<std::pair<VertexId, VertexId>, 24> edges;
    if (list.empty() || list.size() > edges.size()) return ring;
    for (std::size_t i = 0; i < list.size(); ++i) {
        const Triangle& t = mesh.triangles[list[i]];
        const std::size_t corner = t[0] == v ? 0 : t[1] == v ? 1 : 2;
        edges[i] = {t[(corner + 1) % 3], t[(corner + 2) % 3]};
        sum += (mesh.positions[edges[i].first].cast<double>() - here)
                   .cross(mesh.positions[edges[i].second].cast<double>() - here);
    }
    const auto end = edges.begin() + long(list.size());
    const auto start = std::find_if(edges.begin(), end, [&](const auto& edge) {
        return std::none_of(edges.begin(), end, [&](const auto& other) { return other.second == edge.first; });
    });
    if (start != end) std::swap(edges[0], *start);
    for (std::size_t i = 0; i + 1 < list.size(); ++i) {
        const auto next = std::find_if(edges.begin() + long(i) + 1, end,
                                       [&](const auto& edge) { return edge.first == edges[i].second; });
        if (next == end) return ring;
        std::swap(edges[i + 1], *next);
    }
    const bool isOpen = edges[list.size() - 1].second != edges[0].first;
    if (!(sum.norm() > 0)) return ring;
    const Vec3d normal = sum.normalized();
    const Vec3d x = normal.unitOrthogonal(), y = normal.cross(x);
    double radius = std::numeric_limits<double>::infinity();
    double low = 0, high = 0;
    for (std::size_t i = 0; i < list.size(); ++i) {
        const Vec3d a = mesh.positions[edges[i].first].cast<double>() - here;
        const Vec3d b = mesh.positions[edges[i].second].cast<double>() - here;
        const Eigen::Vector2d flatA(a.dot(x), a.dot(y)), flatB(b.dot(x), b.dot(y));
        if (!(flatA.x() * flatB.y() - flatA.y() * flatB.x() > 0)) return ring;  // folded over
        radius = std::min(radius, distanceToSegment(flatA, flatB));
        low = std::min(low, a.dot(normal));
        high = std::max(high, a.dot(normal));
    }
    if (isOpen) {
        const Vec3d first = mesh.positions[edges[0].first].cast<double>() - here;
        const Vec3d last = mesh.positions[edges[list.size() - 1].second].cast<double>() - here;
        ring.inwards = {normal.cross(first).normalized().cast<float>(), last.cross(normal).normalized().cast<float>()};
    }
    // Rounded so that single precision errs on the safe side.
    ring.normal = normal.cast<float>();
    ring.radius = float(radius) * (1 - 1e-5f);
    const auto slack = 1e-5f * float(radius);
    ring.low = float(low) - slack;
    ring.high = float(high) + slack;
    return ring;
}

double boundByRing(const Piece& piece, const Vec3d& centre, const Ring& ring) {
    double lowest = std::numeric_limits<double>::infinity(), highest = -lowest;
    double beyond = 0;  // how far the piece reaches over the border edges
    const Vec3d normal = ring.normal.cast<double>();
    for (const Vec3d& corner : piece.corners) {
        const Vec3d from = corner - centre;
        const double height = from.dot(normal);
        if ((from - height * normal).squaredNorm() > double(ring.radius) * double(ring.radius))
            return std::numeric_limits<double>::infinity();
        lowest = std::min(lowest, height);
        highest = std::max(highest, height);
        double over = 0;
        for (const Vec3f& inward : ring.inwards) over += std::max(0.0, -from.dot(inward.cast<double>()));
        beyond = std::max(beyond, over);
    }
    return std::max(highest - double(ring.low), double(ring.high) - lowest) + beyond;
}

class Bounder {
public:
    Bounder(const Mesh& from, const ClosestPointFinder& to, const KnownDistances& known, const Progress& progress)
        : m_from(from),
          m_to(to),
          m_known(known),
          m_progress(progress),
          m_enough(known.sampledMax * (1 + accuracy) + 1e-7 * diagonal(from)) {}

    double run();

private:
    std::vector<Piece> piecesThatMayBeFar() const;
    std::vector<Piece> cut(const std::vector<Piece>& open, std::size_t count, double& settled) const;
    double boundOf(const Piece& piece) const;

    const Mesh& m_from;
    const ClosestPointFinder& m_to;
    const KnownDistances& m_known;
    const Progress& m_progress;
    double m_enough;
    std::vector<Ring> m_rings;  // of the other surface's vertices, once they are needed
};

double Bounder::boundOf(const Piece& piece) const {
    double longest = 0;
    for (std::size_t i = 0; i < 3; ++i)
        longest = std::max(longest, (piece.corners[(i + 1) % 3] - piece.corners[i]).norm());
    // Every point lies within longest / sqrt(3) of a corner.
    double bound = std::max({piece.distances[0], piece.distances[1], piece.distances[2]}) + longest / std::sqrt(3.0);
    for (std::size_t i = 0; i < 3 && bound > m_enough; ++i) {
        double largest = 0;
        for (const Vec3d& corner : piece.corners)
            largest = std::max(largest, m_to.distanceTo(corner, piece.closest[i]));
        bound = std::min(bound, largest);
    }
    if (m_rings.empty()) return bound;
    for (std::size_t i = 0; i < 3 && bound > m_enough; ++i)
        for (const VertexId v : m_to.mesh().triangles[piece.closest[i]])
            if (m_rings[v].radius > 0)
                bound = std::min(bound, boundByRing(piece, m_to.mesh().positions[v].cast<double>(), m_rings[v]));
    return bound;
}

std::vector<Piece> Bounder::piecesThatMayBeFar() const {
    constexpr std::size_t chunkSize = 4096;
    std::vector<std::vector<Piece>> found(chunkCount(m_from.triangleCount(), chunkSize));
    parallelChunks(m_from.triangleCount(), chunkSize, [&](std::size_t chunk, std::size_t begin, std::size_t end) {
        for (std::size_t t = begin; t < end; ++t) {
            Piece piece;
            for (std::size_t i = 0; i < 3; ++i) {
                const VertexId v = m_from.triangles[t][i];
                piece.corners[i] = m_from.positions[v].cast<double>();
                piece.distances[i] = double(m_known.atVertex[v]);
                piece.closest[i] = m_known.closest[v];
            }
            piece.bound = boundOf(piece);
            if (piece.bound > m_enough) found[chunk].push_back(piece);
        }
    });
    std::vector<Piece> open;
    for (const auto& chunk : found) open.insert(open.end(), chunk.begin(), chunk.end());
    return open;
}

// Cuts the first `count` pieces into four each; keeps what is still too high, and the pieces that were not cut.
std::vector<Piece> Bounder::cut(const std::vector<Piece>& open, std::size_t count, double& settled) const {
    std::vector<std::array<Piece, 4>> parts(count);
    parallelFor(
        count,
        [&](std::size_t p) {
            const Piece& whole = open[p];
            Piece middle;
            for (std::size_t i = 0; i < 3; ++i) {
                middle.corners[i] = (whole.corners[i] + whole.corners[(i + 1) % 3]) / 2;
                const SurfacePoint closest = m_to.find(middle.corners[i], whole.closest[i]);
                middle.distances[i] = closest.distance;
                middle.closest[i] = closest.triangle;
            }
            for (std::size_t i = 0; i < 3; ++i) {
                const std::size_t last = (i + 2) % 3;
                parts[p][i].corners = {whole.corners[i], middle.corners[i], middle.corners[last]};
                parts[p][i].distances = {whole.distances[i], middle.distances[i], middle.distances[last]};
                parts[p][i].closest = {whole.closest[i], middle.closest[i], middle.closest[last]};
            }
            parts[p][3] = middle;
            for (Piece& part : parts[p]) part.bound = std::min(whole.bound, boundOf(part));
        },
        8);
    std::vector<Piece> next(open.begin() + long(count), open.end());
    for (const auto& four : parts)
        for (const Piece& part : four) {
            if (part.bound > m_enough)
                next.push_back(part);
            else
                settled = std::max(settled, part.bound);
        }
    return next;
}

double Bounder::run() {
    std::vector<Piece> open = piecesThatMayBeFar();
    // Triangles that are near enough from the start are not looked at one by one.
    double settled = m_enough;
    if (open.empty()) return settled;
    const Mesh& other = m_to.mesh();
    m_rings.resize(other.vertexCount());
    parallelFor(other.vertexCount(),
                [&](std::size_t v) { m_rings[v] = ringAround(other, VertexId(v), m_to.around().of(VertexId(v))); });
    std::size_t questions = m_known.questions;
    while (!open.empty() && questions >= 3) {
        m_progress.check();
        // The worst pieces first: when the questions run out, all are about equally good.
        const auto worst = std::max_element(open.begin(), open.end(),
                                            [](const Piece& x, const Piece& y) { return x.bound < y.bound; });
        const double limit = std::max(m_enough, worstShare * worst->bound);
        const auto behind =
            std::stable_partition(open.begin(), open.end(), [&](const Piece& piece) { return piece.bound > limit; });
        const std::size_t count = std::min(std::size_t(behind - open.begin()), questions / 3);
        questions -= 3 * count;
        open = cut(open, count, settled);
    }
    for (const Piece& piece : open) settled = std::max(settled, piece.bound);
    return settled;
}

}  // namespace

double boundDistance(const Mesh& from, const ClosestPointFinder& to, const KnownDistances& known,
                     const Progress& progress) {
    return Bounder(from, to, known, progress).run();
}

}  // namespace um
