#include "reduce/Polisher.h"

#include <cmath>

namespace um {

// The squared distance from the middle of an edge to the source, looked for near the triangle t.
double Polisher::offAtMiddle(VertexId a, VertexId b, TriangleId t) const {
    const Vec3d middle = (place(a) + place(b)) / 2;
    const TriangleId near = sourceTriangleNear(t, middle);
    return near == noIndex ? 0 : walkCloser(m_from.mesh, m_from.around, middle, near).squaredDistance;
}

// Whether the edge opposite to corner k of t may run across instead.
bool Polisher::mayFlip(TriangleId t, std::size_t k, const Beyond& beyond) const {
    const Triangle& triangle = m_level.triangles[t];
    const VertexId c = triangle[k], a = triangle[(k + 1) % 3], b = triangle[(k + 2) % 3];
    const VertexId d = m_level.triangles[beyond.triangle][beyond.corner];
    if (d == c || m_sections[t] != m_sections[beyond.triangle] || isFixed(a, b)) return false;
    if (!isSmoothEdge(m_level, t, k, beyond)) return false;
    for (const TriangleId around : m_around.of(c))
        if (contains(m_level.triangles[around], d)) return false;
    const Vec3d pa = place(a), pb = place(b), pc = place(c), pd = place(d);
    const Vec3d before = areaNormal(pc, pa, pb) + areaNormal(pd, pb, pa);
    const Vec3d first = areaNormal(pc, pa, pd), last = areaNormal(pc, pd, pb);
    for (const Vec3d& normal : {first, last})
        if (normal.dot(before) <= leastTurn * normal.norm() * before.norm()) return false;
    const double shape = std::min(shapeOf(pc, pa, pd), shapeOf(pc, pd, pb));
    return shape >= needleQuality || shape >= std::min(shapeOf(pc, pa, pb), shapeOf(pd, pb, pa));
}

// How much closer the surfaces would be, as squared length times area, if the edge opposite to corner k of t ran
// across; not above 0 if it may not.
double Polisher::gainOfFlip(TriangleId t, std::size_t k, const Beyond& beyond) const {
    if (!mayFlip(t, k, beyond)) return 0;
    const Triangle& triangle = m_level.triangles[t];
    const VertexId c = triangle[k], a = triangle[(k + 1) % 3], b = triangle[(k + 2) % 3];
    const VertexId d = m_level.triangles[beyond.triangle][beyond.corner];
    const Vec3d pa = place(a), pb = place(b), pc = place(c), pd = place(d);
    // Most flips are for the worse, which shows after a few samples.
    double gain = m_errors[t] + m_errors[beyond.triangle], area = 0;
    for (const TriangleId side : {t, beyond.triangle})
        for (const std::uint32_t s : m_samplesAt.of(side)) {
            const Sample& sample = m_samples[s];
            const Vec3d p = placeOf(sample);
            const double now = std::min((closestOnTriangle(p, pc, pa, pd).of(pc, pa, pd) - p).squaredNorm(),
                                        (closestOnTriangle(p, pc, pd, pb).of(pc, pd, pb) - p).squaredNorm());
            gain -= double(sample.weight) * now;
            if (!(gain > 0)) return 0;
            area += double(sample.weight);
        }
    // The other way round, from the level to the source, the middles of both diagonals tell.
    return gain + area / 2 * (offAtMiddle(a, b, t) - offAtMiddle(c, d, t));
}

void Polisher::flipEdges(const Progress& progress) {
    struct Flip {
        double gain = 0;
        TriangleId triangle = 0;
        std::size_t corner = 0;
        Beyond beyond;
    };
    std::vector<std::vector<Flip>> found(chunkCount(m_level.triangleCount(), 1024));
    parallelChunks(m_level.triangleCount(), 1024, [&](std::size_t chunk, std::size_t begin, std::size_t end) {
        progress.check();
        for (TriangleId t = TriangleId(begin); t < end; ++t)
            for (std::size_t k = 0; k < 3; ++k) {
                const Beyond beyond = beyondEdge(m_level, m_around, t, k);
                if (!beyond.isThere() || beyond.triangle < t) continue;
                const double gain = gainOfFlip(t, k, beyond);
                if (gain > 0) found[chunk].push_back({gain, t, k, beyond});
            }
    });
    std::vector<Flip> flips;
    for (const std::vector<Flip>& some : found) flips.insert(flips.end(), some.begin(), some.end());
    std::sort(flips.begin(), flips.end(), [](const Flip& x, const Flip& y) {
        return x.gain != y.gain ? x.gain > y.gain : x.triangle < y.triangle;
    });
    std::vector<std::uint8_t> touched(m_level.vertexCount(), 0);
    for (const Flip& next : flips) {
        const Triangle &first = m_level.triangles[next.triangle], &second = m_level.triangles[next.beyond.triangle];
        const std::array<VertexId, 4> corners = {first[0], first[1], first[2], second[next.beyond.corner]};
        if (std::any_of(corners.begin(), corners.end(), [&](VertexId v) { return touched[v] != 0; })) continue;
        for (const VertexId v : corners) touched[v] = 1;
        flip(next.triangle, next.corner, next.beyond);
    }
    connect();
}

void Polisher::flip(TriangleId t, std::size_t k, const Beyond& beyond) {
    flipEdge(m_level, t, k, beyond);
    markChanged(t);
    markChanged(beyond.triangle);
}

}  // namespace um
