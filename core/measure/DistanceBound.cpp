#include "measure/DistanceBound.h"

#include "base/Parallel.h"

#include <cmath>
#include <limits>

namespace um {
namespace {

constexpr double accuracy = 0.02;

// A round cuts the pieces whose bound is at least this share of the worst one.
constexpr double worstShare = 0.7;

// Cuts of a triangle before it waits for others that may be worse.
constexpr int cutsAtOnce = 64;

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
    float reach = 0;   // how far its triangles reach from the vertex
    float low = 0, high = 0;
    std::array<Vec3f, 2> inwards = {Vec3f::Zero(),
                                    Vec3f::Zero()};  // square to the border edges; zero inside the surface

    bool isOpen() const { return !inwards[0].isZero() || !inwards[1].isZero(); }
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
    constexpr std::size_t largestRing = 4096;
    if (list.empty() || list.size() > largestRing) return ring;
    std::vector<std::pair<VertexId, VertexId>> edges(list.size());
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
    double low = 0, high = 0, reach = 0;
    for (std::size_t i = 0; i < list.size(); ++i) {
        const Vec3d a = mesh.positions[edges[i].first].cast<double>() - here;
        const Vec3d b = mesh.positions[edges[i].second].cast<double>() - here;
        const Eigen::Vector2d flatA(a.dot(x), a.dot(y)), flatB(b.dot(x), b.dot(y));
        if (!(flatA.x() * flatB.y() - flatA.y() * flatB.x() > 0)) return ring;  // folded over
        radius = std::min(radius, distanceToSegment(flatA, flatB));
        reach = std::max({reach, a.norm(), b.norm()});
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
    ring.reach = float(reach) * (1 + 1e-5f);
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

// What a piece and the triangles around a vertex are apart at most, along the vertex's normal. Over the fan both are
// linear between the spokes of the ring, so that they are farthest apart at a corner of the piece, where one of its
// sides crosses a spoke, or at the vertex itself.
double boundByFan(const Piece& piece, const Mesh& mesh, VertexId v, std::span<const TriangleId> list,
                  const Ring& ring) {
    const Vec3d centre = mesh.positions[v].cast<double>();
    const Vec3d normal = ring.normal.cast<double>(), x = normal.unitOrthogonal(), y = normal.cross(x);
    struct Place {
        double x, y, height;
    };
    const auto flat = [&](const Vec3d& p) { return Place{p.dot(x), p.dot(y), p.dot(normal)}; };
    const auto cross = [](const Place& a, const Place& b) { return a.x * b.y - a.y * b.x; };
    std::array<Place, 3> corners;
    for (std::size_t i = 0; i < 3; ++i) {
        corners[i] = flat(piece.corners[i] - centre);
        if (corners[i].x * corners[i].x + corners[i].y * corners[i].y > double(ring.reach) * double(ring.reach))
            return std::numeric_limits<double>::infinity();
    }
    constexpr double slack = 1e-9;
    double bound = 0;
    int covered = 0;  // corners of the piece whose sector was found
    for (const TriangleId t : list) {
        const Triangle& triangle = mesh.triangles[t];
        const std::size_t own = triangle[0] == v ? 0 : triangle[1] == v ? 1 : 2;
        const Place a = flat(mesh.positions[triangle[(own + 1) % 3]].cast<double>() - centre);
        const Place b = flat(mesh.positions[triangle[(own + 2) % 3]].cast<double>() - centre);
        const double area = cross(a, b);
        for (std::size_t i = 0; i < 3; ++i) {
            const Place &p = corners[i], &q = corners[(i + 1) % 3];
            const double alongA = cross(p, b) / area, alongB = cross(a, p) / area;
            if (alongA >= -slack && alongB >= -slack && alongA + alongB <= 1 + slack) {
                covered |= 1 << i;
                bound = std::max(bound, std::abs(p.height - alongA * a.height - alongB * b.height));
            }
            // A side that leaves the fan: what lies beyond is not known here.
            const Place side{q.x - p.x, q.y - p.y, q.height - p.height}, rim{b.x - a.x, b.y - a.y, 0};
            const Place from{a.x - p.x, a.y - p.y, 0};
            if (const double turn = cross(side, rim); turn != 0) {
                const double s = cross(from, rim) / turn, u = cross(from, side) / turn;
                if (s > slack && s < 1 - slack && u > slack && u < 1 - slack)
                    return std::numeric_limits<double>::infinity();
            }
            // Where the side crosses the spoke to a: p + s (q - p) = u a.
            const double across = cross(side, a);
            if (across == 0) continue;
            const double s = -cross(p, a) / across;
            if (s < 0 || s > 1) continue;
            const double length = a.x * a.x + a.y * a.y;
            const double u = ((p.x + s * side.x) * a.x + (p.y + s * side.y) * a.y) / length;
            if (u >= 0) bound = std::max(bound, std::abs(p.height + s * side.height - u * a.height));
        }
    }
    if (covered != 7) return std::numeric_limits<double>::infinity();
    // Where the vertex lies in the piece.
    const double area = cross(corners[0], corners[1]) + cross(corners[1], corners[2]) + cross(corners[2], corners[0]);
    if (area != 0) {
        const double c = cross(corners[0], corners[1]) / area, a = cross(corners[1], corners[2]) / area;
        const double b = 1 - a - c;
        if (a >= 0 && b >= 0 && c >= 0)
            bound = std::max(bound, std::abs(a * corners[0].height + b * corners[1].height + c * corners[2].height));
    }
    return bound;
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
    void cutUp(const Piece& whole, std::vector<Piece>& left) const;
    std::array<Piece, 2> halves(const Piece& whole) const;
    std::vector<Piece> cut(const std::vector<Piece>& open, std::size_t count, double& settled) const;
    double boundOf(const Piece& piece) const;

    const Mesh& m_from;
    const ClosestPointFinder& m_to;
    const KnownDistances& m_known;
    const Progress& m_progress;
    double m_enough;
    std::vector<Ring> m_rings;  // of the other surface's vertices
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
    if (!(bound > m_enough)) return bound;
    // The vertices around which the piece may lie, each once.
    std::array<VertexId, 9> around;
    auto end = around.begin();
    for (const TriangleId t : piece.closest)
        for (const VertexId v : m_to.mesh().triangles[t])
            if (std::find(around.begin(), end, v) == end) *end++ = v;
    for (auto v = around.begin(); v != end && bound > m_enough; ++v) {
        const Ring& ring = m_rings[*v];
        if (!(ring.radius > 0)) continue;
        bound = std::min(bound, ring.isOpen() ? boundByRing(piece, m_to.mesh().positions[*v].cast<double>(), ring)
                                              : boundByFan(piece, m_to.mesh(), *v, m_to.around().of(*v), ring));
    }
    return bound;
}

std::vector<Piece> Bounder::piecesThatMayBeFar() const {
    constexpr std::size_t chunkSize = 512;
    std::vector<std::vector<Piece>> found(chunkCount(m_from.triangleCount(), chunkSize));
    parallelChunks(m_from.triangleCount(), chunkSize, [&](std::size_t chunk, std::size_t begin, std::size_t end) {
        m_progress.check();
        for (std::size_t t = begin; t < end; ++t) {
            Piece piece;
            for (std::size_t i = 0; i < 3; ++i) {
                const VertexId v = m_from.triangles[t][i];
                piece.corners[i] = m_from.positions[v].cast<double>();
                piece.distances[i] = double(m_known.atVertex[v]);
                piece.closest[i] = m_known.closest[v];
            }
            piece.bound = boundOf(piece);
            if (piece.bound > m_enough) cutUp(piece, found[chunk]);
        }
    });
    std::vector<Piece> open;
    for (auto& pieces : found) open.insert(open.end(), pieces.begin(), pieces.end());
    return open;
}

// Most triangles need a few cuts and no more: those are done at once, without a list of all pieces of all triangles.
void Bounder::cutUp(const Piece& whole, std::vector<Piece>& left) const {
    const std::size_t first = left.size();
    left.push_back(whole);
    for (int cuts = 0; cuts < cutsAtOnce && left.size() > first; ++cuts) {
        // The largest that are left come first: they lie at the front.
        const Piece piece = left[first + std::size_t(cuts) % (left.size() - first)];
        left[first + std::size_t(cuts) % (left.size() - first)] = left.back();
        left.pop_back();
        for (const Piece& part : halves(piece))
            if (part.bound > m_enough) left.push_back(part);
    }
}

std::array<Piece, 2> Bounder::halves(const Piece& whole) const {
    std::size_t a = 0;
    const auto length = [&](std::size_t i) { return (whole.corners[(i + 1) % 3] - whole.corners[i]).squaredNorm(); };
    for (std::size_t i = 1; i < 3; ++i)
        if (length(i) > length(a)) a = i;
    const std::size_t b = (a + 1) % 3;
    const Vec3d middle = (whole.corners[a] + whole.corners[b]) / 2;
    const SurfacePoint closest = m_to.find(middle, whole.closest[a]);
    std::array<Piece, 2> parts = {whole, whole};
    for (std::size_t i = 0; i < 2; ++i) {
        const std::size_t corner = i == 0 ? b : a;
        parts[i].corners[corner] = middle;
        parts[i].distances[corner] = closest.distance;
        parts[i].closest[corner] = closest.triangle;
        parts[i].bound = std::min(whole.bound, boundOf(parts[i]));
    }
    return parts;
}

// Cuts the first `count` pieces in two each; keeps what is still too high, and the pieces that were not cut.
std::vector<Piece> Bounder::cut(const std::vector<Piece>& open, std::size_t count, double& settled) const {
    std::vector<std::array<Piece, 2>> parts(count);
    parallelFor(
        count, [&](std::size_t p) { parts[p] = halves(open[p]); }, 8);
    std::vector<Piece> next(open.begin() + long(count), open.end());
    for (const auto& two : parts)
        for (const Piece& part : two) {
            if (part.bound > m_enough)
                next.push_back(part);
            else
                settled = std::max(settled, part.bound);
        }
    return next;
}

double Bounder::run() {
    const Mesh& other = m_to.mesh();
    m_rings.resize(other.vertexCount());
    parallelFor(other.vertexCount(),
                [&](std::size_t v) { m_rings[v] = ringAround(other, VertexId(v), m_to.around().of(VertexId(v))); });
    std::vector<Piece> open = piecesThatMayBeFar();
    // What is near enough is not looked at one by one.
    double settled = m_enough;
    std::size_t questions = m_known.questions;
    while (!open.empty() && questions > 0) {
        m_progress.check();
        // The worst pieces first: when the questions run out, all are about equally good.
        const auto worst = std::max_element(open.begin(), open.end(),
                                            [](const Piece& x, const Piece& y) { return x.bound < y.bound; });
        const double limit = std::max(m_enough, worstShare * worst->bound);
        const auto behind =
            std::stable_partition(open.begin(), open.end(), [&](const Piece& piece) { return piece.bound > limit; });
        const std::size_t count = std::min(std::size_t(behind - open.begin()), questions);
        questions -= count;
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
