#include "measure/DistanceBound.h"

#include "base/Parallel.h"
#include "measure/PatchBound.h"
#include "mesh/SurfaceWalk.h"

#include <cmath>
#include <limits>
#include <map>

namespace um {
namespace {

// Of the bound, over the largest distance; and at most, where less than that is to be proven.
constexpr double accuracy = 0.02, finestAccuracy = 0.004;

// A round cuts the pieces whose bound is at least this share of the worst one.
constexpr double worstShare = 0.7;

// Cuts of a triangle before it waits for others that may be worse.
constexpr int cutsAtOnce = 64;

// Where a piece may be farther off by more than this, as a square, for the area of the other surface's triangle, a few
// cuts are cheaper than to look at all the triangles that lie under it.
constexpr double mostSlack = 5;

// What is nearer than this share of what is near enough need not be known exactly.
constexpr double nearEnough = 0.5;

// A piece of a measured triangle, with what is known at its corners.
struct BoundPiece {
    std::array<Vec3d, 3> corners;
    std::array<double, 3> distances;  // at most
    std::array<TriangleId, 3> closest;
    double bound =
        std::numeric_limits<double>::infinity();  // no point of it is farther than this from the other surface
    TriangleId triangle = 0;                      // of which it is one
};

void take(FarPoint& farthest, const BoundPiece& piece) {
    for (std::size_t i = 0; i < 3; ++i)
        if (piece.distances[i] > farthest.distance) farthest = {piece.distances[i], piece.corners[i], piece.triangle};
}

// What a part of the surface comes to.
struct Found {
    std::vector<BoundPiece> open;
    FarPoint farthest;
    std::vector<FarPoint> tooFar;
    double boundOfTooFar = 0;
};

// The triangles around a vertex of a border, seen along its normal: they lie between two heights, and cover what of a
// disc lies on the inner side of both border edges.
struct Rim {
    Vec3d normal = Vec3d::Zero();
    double radius = 0;  // of the disc; 0 where the vertex is on no border, or the triangles are folded or no single fan
    double low = 0, high = 0;
    std::array<Vec3d, 2> inwards = {Vec3d::Zero(), Vec3d::Zero()};  // square to the border edges
};

double distanceToSegment(const Eigen::Vector2d& a, const Eigen::Vector2d& b) {
    const Eigen::Vector2d along = b - a;
    const double length = along.squaredNorm();
    const double share = length > 0 ? std::clamp(-a.dot(along) / length, 0.0, 1.0) : 0.0;
    return (a + share * along).norm();
}

Rim rimAround(const Mesh& mesh, VertexId v, std::span<const TriangleId> list) {
    Rim rim;
    const Vec3d here = mesh.positions[v].cast<double>();
    Vec3d sum = Vec3d::Zero();
    // One fan: the edges opposite the vertex hang together as a chain. Those of a pole take too long to be ordered for
    // each piece.
    constexpr std::size_t largestFan = 128;
    if (list.empty() || list.size() > largestFan) return rim;
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
    if (start == end) return rim;
    std::swap(edges[0], *start);
    for (std::size_t i = 0; i + 1 < list.size(); ++i) {
        const auto next = std::find_if(edges.begin() + long(i) + 1, end,
                                       [&](const auto& edge) { return edge.first == edges[i].second; });
        if (next == end) return rim;
        std::swap(edges[i + 1], *next);
    }
    if (!(sum.norm() > 0)) return rim;
    const Vec3d normal = sum.normalized();
    const Vec3d x = normal.unitOrthogonal(), y = normal.cross(x);
    double radius = std::numeric_limits<double>::infinity();
    for (std::size_t i = 0; i < list.size(); ++i) {
        const Vec3d a = mesh.positions[edges[i].first].cast<double>() - here;
        const Vec3d b = mesh.positions[edges[i].second].cast<double>() - here;
        const Eigen::Vector2d flatA(a.dot(x), a.dot(y)), flatB(b.dot(x), b.dot(y));
        if (!(flatA.x() * flatB.y() - flatA.y() * flatB.x() > 0)) return rim;  // folded over
        radius = std::min(radius, distanceToSegment(flatA, flatB));
        for (const Vec3d& p : {a, b}) {
            rim.low = std::min(rim.low, p.dot(normal));
            rim.high = std::max(rim.high, p.dot(normal));
        }
    }
    const Vec3d first = mesh.positions[edges.front().first].cast<double>() - here;
    const Vec3d last = mesh.positions[edges.back().second].cast<double>() - here;
    rim.inwards = {normal.cross(first).normalized(), last.cross(normal).normalized()};
    rim.normal = normal;
    rim.radius = radius;
    return rim;
}

double boundByRim(const BoundPiece& piece, const Vec3d& centre, const Rim& rim) {
    double lowest = std::numeric_limits<double>::infinity(), highest = -lowest;
    double beyond = 0;  // how far the piece reaches over the border edges
    for (const Vec3d& corner : piece.corners) {
        const Vec3d from = corner - centre;
        const double height = from.dot(rim.normal);
        if ((from - height * rim.normal).squaredNorm() > rim.radius * rim.radius)
            return std::numeric_limits<double>::infinity();
        lowest = std::min(lowest, height);
        highest = std::max(highest, height);
        double over = 0;
        for (const Vec3d& inward : rim.inwards) over += std::max(0.0, -from.dot(inward));
        beyond = std::max(beyond, over);
    }
    return std::max(highest - rim.low, rim.high - lowest) + beyond;
}

class Bounder {
public:
    Bounder(const Mesh& from, const ClosestPointFinder& to, const KnownDistances& known, const Progress& progress)
        : m_from(from), m_to(to), m_known(known), m_progress(progress), m_enough(enoughFor(known.sampledMax)) {}

    DistanceBound run();

private:
    double enoughFor(double max) const {
        const double least = 1e-7 * diagonal(m_from), usual = max * (1 + accuracy) + least;
        const bool mayBeProven = m_known.allowed > max * (1 + finestAccuracy) + least, isTooFar = max > m_known.allowed;
        return m_known.allowed > 0 && m_known.allowed < usual && (mayBeProven || isTooFar) ? m_known.allowed : usual;
    }
    // There is nothing to be proven of it.
    bool isTooFar(const BoundPiece& piece) const {
        return m_known.allowed > 0 && std::any_of(piece.distances.begin(), piece.distances.end(),
                                                  [&](double distance) { return distance > m_known.allowed; });
    }
    void settle(const BoundPiece& piece, Found& found) const;
    void remember(const Found& found);
    std::vector<BoundPiece> piecesThatMayBeFar();
    void cutUp(const BoundPiece& whole, Found& found) const;
    std::array<BoundPiece, 2> halves(const BoundPiece& whole) const;
    std::pair<double, TriangleId> distanceAt(const Vec3d& p, TriangleId near) const;
    std::vector<BoundPiece> cut(const std::vector<BoundPiece>& open, std::size_t count);
    double boundOf(const BoundPiece& piece) const;

    const Mesh& m_from;
    const ClosestPointFinder& m_to;
    const KnownDistances& m_known;
    const Progress& m_progress;
    double m_enough;  // grows with the farthest place that a question has met
    FarPoint m_farthest;
    std::map<TriangleId, FarPoint> m_tooFar;
    double m_boundOfTooFar = 0;
};

// A piece that is left open, or found to be too far off, or neither.
void Bounder::settle(const BoundPiece& piece, Found& found) const {
    if (isTooFar(piece)) {
        FarPoint farthest;
        take(farthest, piece);
        found.tooFar.push_back(farthest);
        found.boundOfTooFar = std::max(found.boundOfTooFar, piece.bound);
    } else if (piece.bound > m_enough) {
        found.open.push_back(piece);
    }
}

void Bounder::remember(const Found& found) {
    for (const FarPoint& far : found.tooFar) {
        FarPoint& farthest = m_tooFar[far.triangle];
        if (far.distance > farthest.distance) farthest = far;
    }
    m_boundOfTooFar = std::max(m_boundOfTooFar, found.boundOfTooFar);
    if (!(found.farthest.distance > m_farthest.distance)) return;
    m_farthest = found.farthest;
    m_enough = std::max(m_enough, enoughFor(found.farthest.distance));
}

double Bounder::boundOf(const BoundPiece& piece) const {
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
    const Mesh& other = m_to.mesh();
    const auto corner = [&](std::size_t i) {
        return Vec3d(other.positions[other.triangles[piece.closest[0]][i]].cast<double>());
    };
    const Vec3d there = areaNormal(corner(0), corner(1), corner(2));
    const double slack = m_enough - std::max({piece.distances[0], piece.distances[1], piece.distances[2]});
    if (slack * slack <= mostSlack * there.norm() / 2) {
        // Seen along the normal of the larger triangle first: it is the smoother one.
        const Vec3d own = areaNormal(piece.corners[0], piece.corners[1], piece.corners[2]);
        const Vec3d facing = own.dot(there) < 0 ? Vec3d(-own) : own;
        const bool isOwnLarger = own.squaredNorm() > there.squaredNorm();
        for (const Vec3d& direction : {isOwnLarger ? facing : there, isOwnLarger ? there : facing})
            if (bound > m_enough)
                bound = std::min(bound, patchBound(piece.corners, other, m_to.around(), piece.closest[0], direction));
    }
    if (!(bound > m_enough)) return bound;
    // The vertices around which the piece may lie, each once.
    std::array<VertexId, 9> around;
    auto end = around.begin();
    for (const TriangleId t : piece.closest)
        for (const VertexId v : other.triangles[t])
            if (std::find(around.begin(), end, v) == end) *end++ = v;
    for (auto v = around.begin(); v != end && bound > m_enough; ++v) {
        const Rim rim = rimAround(other, *v, m_to.around().of(*v));
        if (rim.radius > 0) bound = std::min(bound, boundByRim(piece, other.positions[*v].cast<double>(), rim));
    }
    return bound;
}

std::vector<BoundPiece> Bounder::piecesThatMayBeFar() {
    constexpr std::size_t chunkSize = 512;
    std::vector<Found> found(chunkCount(m_from.triangleCount(), chunkSize));
    parallelChunks(m_from.triangleCount(), chunkSize, [&](std::size_t chunk, std::size_t begin, std::size_t end) {
        m_progress.check();
        for (std::size_t t = begin; t < end; ++t) {
            BoundPiece piece;
            piece.triangle = TriangleId(t);
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
    std::vector<BoundPiece> open;
    for (const Found& here : found) {
        open.insert(open.end(), here.open.begin(), here.open.end());
        remember(here);
    }
    return open;
}

// Most triangles need a few cuts and no more: those are done at once, without a list of all pieces of all triangles.
void Bounder::cutUp(const BoundPiece& whole, Found& found) const {
    std::vector<BoundPiece>& left = found.open;
    const std::size_t first = left.size();
    settle(whole, found);
    for (int cuts = 0; cuts < cutsAtOnce && left.size() > first; ++cuts) {
        // The largest that are left come first: they lie at the front.
        const BoundPiece piece = left[first + std::size_t(cuts) % (left.size() - first)];
        left[first + std::size_t(cuts) % (left.size() - first)] = left.back();
        left.pop_back();
        const std::array<BoundPiece, 2> parts = halves(piece);
        take(found.farthest, parts[0]);
        for (const BoundPiece& part : parts) settle(part, found);
    }
}

std::array<BoundPiece, 2> Bounder::halves(const BoundPiece& whole) const {
    std::size_t a = 0;
    const auto length = [&](std::size_t i) { return (whole.corners[(i + 1) % 3] - whole.corners[i]).squaredNorm(); };
    for (std::size_t i = 1; i < 3; ++i)
        if (length(i) > length(a)) a = i;
    const std::size_t b = (a + 1) % 3;
    const Vec3d middle = (whole.corners[a] + whole.corners[b]) / 2;
    const auto [distance, closest] = distanceAt(middle, whole.closest[whole.distances[a] < whole.distances[b] ? a : b]);
    std::array<BoundPiece, 2> parts = {whole, whole};
    for (std::size_t i = 0; i < 2; ++i) {
        const std::size_t corner = i == 0 ? b : a;
        parts[i].corners[corner] = middle;
        parts[i].distances[corner] = distance;
        parts[i].closest[corner] = closest;
        parts[i].bound = std::min(whole.bound, boundOf(parts[i]));
    }
    return parts;
}

// How far the other surface is at most, and by which triangle. What a walk finds near enough need not be exact; only
// what is far off is told of.
std::pair<double, TriangleId> Bounder::distanceAt(const Vec3d& p, TriangleId near) const {
    const Closest walked = walkCloser(m_to.mesh(), m_to.around(), p, near);
    const double distance = std::sqrt(walked.squaredDistance);
    if (distance < nearEnough * m_enough) return {distance, walked.triangle};
    const SurfacePoint exact = m_to.find(p, walked.triangle);
    return {exact.distance, exact.triangle};
}

// Cuts the first `count` pieces in two each; keeps what is still too high, and the pieces that were not cut.
std::vector<BoundPiece> Bounder::cut(const std::vector<BoundPiece>& open, std::size_t count) {
    std::vector<std::array<BoundPiece, 2>> parts(count);
    parallelFor(
        count, [&](std::size_t p) { parts[p] = halves(open[p]); }, 8);
    Found found;
    for (const auto& two : parts) take(found.farthest, two[0]);
    remember(found);
    found.open.assign(open.begin() + long(count), open.end());
    std::erase_if(found.open, [&](const BoundPiece& piece) { return piece.bound <= m_enough; });
    for (const auto& two : parts)
        for (const BoundPiece& part : two) settle(part, found);
    remember(found);
    return std::move(found.open);
}

DistanceBound Bounder::run() {
    std::vector<BoundPiece> open = piecesThatMayBeFar();
    std::size_t questions = m_known.questions;
    while (!open.empty() && questions > 0) {
        m_progress.check();
        // The worst pieces first: when the questions run out, all are about equally good.
        const auto worst = std::max_element(open.begin(), open.end(),
                                            [](const BoundPiece& x, const BoundPiece& y) { return x.bound < y.bound; });
        const double limit = std::max(m_enough, worstShare * worst->bound);
        const auto behind = std::stable_partition(open.begin(), open.end(),
                                                  [&](const BoundPiece& piece) { return piece.bound > limit; });
        const std::size_t count = std::min(std::size_t(behind - open.begin()), questions);
        // All that is left was settled when a farther place was met.
        if (count == 0) break;
        questions -= count;
        open = cut(open, count);
    }
    // What is near enough is not looked at one by one.
    DistanceBound result{std::max(m_enough, m_boundOfTooFar), m_farthest, {}};
    for (const auto& [triangle, far] : m_tooFar) result.tooFar.push_back(far);
    for (const BoundPiece& piece : open) result.bound = std::max(result.bound, piece.bound);
    return result;
}

}  // namespace

DistanceBound boundDistance(const Mesh& from, const ClosestPointFinder& to, const KnownDistances& known,
                            const Progress& progress) {
    return Bounder(from, to, known, progress).run();
}

}  // namespace um
