#include "measure/PatchBound.h"

#include <cmath>
#include <limits>

namespace um {
namespace {

constexpr double unknown = std::numeric_limits<double>::infinity();

// Pieces over more triangles are better cut.
constexpr std::size_t mostPatchTriangles = 1024;

// What just touches counts as crossing, so that rounding leaves nothing out.
constexpr double lengthSlack = 1e-9;

struct PlanePlace {
    double x, y, height;
};

// Twice the area of a, b, p.
double turn(const PlanePlace& a, const PlanePlace& b, const PlanePlace& p) {
    return (b.x - a.x) * (p.y - a.y) - (b.y - a.y) * (p.x - a.x);
}

// Triangles seen so far, in the order in which they were met.
class Seen {
public:
    bool add(TriangleId t) {
        std::size_t slot = mixBits(t) % m_slots.size();
        for (; m_slots[slot] != 0; slot = (slot + 1) % m_slots.size())
            if (m_list[m_slots[slot] - 1] == t) return false;
        m_list[m_count++] = t;
        m_slots[slot] = std::uint16_t(m_count);
        m_used[m_count - 1] = std::uint16_t(slot);
        return true;
    }
    void clear() {
        for (std::size_t i = 0; i < m_count; ++i) m_slots[m_used[i]] = 0;
        m_count = 0;
    }
    std::size_t count() const { return m_count; }
    TriangleId operator[](std::size_t i) const { return m_list[i]; }

private:
    std::array<std::uint16_t, 4 * mostPatchTriangles> m_slots{};  // 0, or one more than the place in the list
    std::array<TriangleId, mostPatchTriangles + 3> m_list{};
    std::array<std::uint16_t, mostPatchTriangles + 3> m_used{};
    std::size_t m_count = 0;
};

// The piece in its view, counter-clockwise.
struct PatchPiece {
    std::array<PlanePlace, 3> corners;
    double slopeX = 0, slopeY = 0;  // of its plane
    double near = 0;                // areas that count as nothing

    double heightAt(double x, double y) const {
        return corners[0].height + slopeX * (x - corners[0].x) + slopeY * (y - corners[0].y);
    }
};

// The part of a side that lies over the piece, from share `begin` to `end` of it.
struct PatchCrossing {
    double begin = 0, end = 1;
};

bool crosses(const PatchPiece& piece, const PlanePlace& a, const PlanePlace& b, PatchCrossing& crossing) {
    for (std::size_t i = 0; i < 3; ++i) {
        const double atA = turn(piece.corners[i], piece.corners[(i + 1) % 3], a) + piece.near;
        const double atB = turn(piece.corners[i], piece.corners[(i + 1) % 3], b) + piece.near;
        if (atA < 0 && atB < 0) return false;
        if (atA < 0) crossing.begin = std::max(crossing.begin, atA / (atA - atB));
        if (atB < 0) crossing.end = std::min(crossing.end, atA / (atA - atB));
    }
    return crossing.begin <= crossing.end;
}

// The one triangle beyond a side; `noIndex` where there is none, or more.
TriangleId beyond(const Mesh& mesh, const VertexTriangles& around, TriangleId t, VertexId a, VertexId b) {
    TriangleId found = noIndex;
    for (const TriangleId other : trianglesNearEdge(around, a, b)) {
        const Triangle& there = mesh.triangles[other];
        if (other == t || !contains(there, a) || !contains(there, b)) continue;
        if (found != noIndex) return noIndex;
        found = other;
    }
    return found;
}

}  // namespace

double patchBound(const std::array<Vec3d, 3>& corners, const Mesh& mesh, const VertexTriangles& around,
                  TriangleId start, const Vec3d& direction) {
    const double length = direction.norm();
    if (!(length > 0)) return unknown;
    const Vec3d up = direction / length, right = up.unitOrthogonal(), forward = up.cross(right);
    const auto seen = [&](const Vec3d& p) {
        const Vec3d from = p - corners[0];
        return PlanePlace{from.dot(right), from.dot(forward), from.dot(up)};
    };
    PatchPiece piece{{seen(corners[0]), seen(corners[1]), seen(corners[2])}};
    double area = turn(piece.corners[0], piece.corners[1], piece.corners[2]);
    if (area < 0) {
        std::swap(piece.corners[1], piece.corners[2]);
        area = -area;
    }
    const double size = (corners[1] - corners[0]).squaredNorm() + (corners[2] - corners[0]).squaredNorm();
    if (!(area > 1e-6 * size)) return unknown;
    piece.near = lengthSlack * area;
    const PlanePlace &a = piece.corners[0], &b = piece.corners[1], &c = piece.corners[2];
    piece.slopeX = ((b.height - a.height) * (c.y - a.y) - (c.height - a.height) * (b.y - a.y)) / area;
    piece.slopeY = ((c.height - a.height) * (b.x - a.x) - (b.height - a.height) * (c.x - a.x)) / area;

    thread_local Seen triangles;
    triangles.clear();
    triangles.add(start);
    double bound = 0;
    int covered = 0;  // corners of the piece that a triangle lies over
    for (std::size_t i = 0; i < triangles.count(); ++i) {
        const TriangleId t = triangles[i];
        const Triangle& triangle = mesh.triangles[t];
        std::array<PlanePlace, 3> places;
        for (std::size_t k = 0; k < 3; ++k) places[k] = seen(mesh.positions[triangle[k]].cast<double>());
        const double facing = turn(places[0], places[1], places[2]);
        if (!(facing > 0)) return unknown;
        bool meets = false;
        for (std::size_t k = 0; k < 3; ++k) {
            const PlanePlace &from = places[k], &to = places[(k + 1) % 3];
            PatchCrossing crossing;
            if (!crosses(piece, from, to, crossing)) continue;
            meets = true;
            for (const double share : {crossing.begin, crossing.end}) {
                const double x = from.x + share * (to.x - from.x), y = from.y + share * (to.y - from.y);
                const double height = from.height + share * (to.height - from.height);
                bound = std::max(bound, std::abs(height - piece.heightAt(x, y)));
            }
            const TriangleId other = beyond(mesh, around, t, triangle[k], triangle[(k + 1) % 3]);
            if (other == noIndex || triangles.count() == mostPatchTriangles) return unknown;
            triangles.add(other);
        }
        for (int k = 0; k < 3; ++k) {
            const PlanePlace& p = piece.corners[std::size_t(k)];
            const double second = turn(places[2], places[0], p) / facing,
                         third = turn(places[0], places[1], p) / facing;
            if (second < -lengthSlack || third < -lengthSlack || second + third > 1 + lengthSlack) continue;
            covered |= 1 << k;
            meets = true;
            const double height = places[0].height + second * (places[1].height - places[0].height) +
                                  third * (places[2].height - places[0].height);
            bound = std::max(bound, std::abs(height - p.height));
        }
        if (i == 0 && !meets) return unknown;
    }
    return covered == 7 ? bound : unknown;
}

}  // namespace um
