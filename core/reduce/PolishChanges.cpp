#include "reduce/Polisher.h"

#include <cmath>

namespace um {

// The squared distance from the middle of an edge to the source, looked for near the triangle t.
double Polisher::offAtMiddle(VertexId a, VertexId b, TriangleId t) const {
    const Vec3d middle = (place(a) + place(b)) / 2;
    const TriangleId near = sourceTriangleNear(t, middle);
    return near == none ? 0 : walkCloser(m_from.mesh, m_from.around, middle, near).squaredDistance;
}

// How much closer the surfaces would be, as squared length times area, if the edge opposite to corner k of t ran
// across; not above 0 if it may not.
double Polisher::gainOfFlip(TriangleId t, std::size_t k, const Beyond& beyond) const {
    const Triangle& triangle = m_level.triangles[t];
    const VertexId c = triangle[k], a = triangle[(k + 1) % 3], b = triangle[(k + 2) % 3];
    const Triangle& second = m_level.triangles[beyond.triangle];
    const VertexId d = second[beyond.corner];
    if (d == c || m_sections[t] != m_sections[beyond.triangle] || (isOnLine(a) && isOnLine(b))) return 0;
    if (!isSmoothEdge(m_level, t, k, beyond)) return 0;
    for (const TriangleId around : m_around.of(c)) {
        const Triangle& there = m_level.triangles[around];
        if (there[0] == d || there[1] == d || there[2] == d) return 0;
    }
    const Vec3d pa = place(a), pb = place(b), pc = place(c), pd = place(d);
    const Vec3d before = areaNormal(pc, pa, pb) + areaNormal(pd, pb, pa);
    const Vec3d first = areaNormal(pc, pa, pd), last = areaNormal(pc, pd, pb);
    for (const Vec3d& normal : {first, last})
        if (normal.dot(before) <= leastTurn * normal.norm() * before.norm()) return 0;
    const double shape = std::min(shapeOf(pc, pa, pd), shapeOf(pc, pd, pb));
    if (shape < needleQuality && shape < std::min(shapeOf(pc, pa, pb), shapeOf(pd, pb, pa))) return 0;
    // Most flips are for the worse, which shows after a few samples.
    double gain = m_errors[t] + m_errors[beyond.triangle], area = 0;
    for (const TriangleId side : {t, beyond.triangle})
        for (const std::uint32_t s : m_samplesAt.of(side)) {
            const Sample& sample = m_samples[s];
            const Vec3d p = sample.point.cast<double>();
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
        TriangleId triangle = 0, other = 0;
        std::uint8_t corner = 0;
    };
    std::vector<std::vector<Flip>> found(chunkCount(m_level.triangleCount(), 1024));
    parallelChunks(m_level.triangleCount(), 1024, [&](std::size_t chunk, std::size_t begin, std::size_t end) {
        progress.check();
        for (TriangleId t = TriangleId(begin); t < end; ++t)
            for (std::size_t k = 0; k < 3; ++k) {
                const Beyond beyond = beyondEdge(m_level, m_around, t, k);
                if (!beyond.isThere() || beyond.triangle < t) continue;
                const double gain = gainOfFlip(t, k, beyond);
                if (gain > 0) found[chunk].push_back({gain, t, beyond.triangle, std::uint8_t(k)});
            }
    });
    std::vector<Flip> flips;
    for (const std::vector<Flip>& some : found) flips.insert(flips.end(), some.begin(), some.end());
    std::sort(flips.begin(), flips.end(), [](const Flip& x, const Flip& y) {
        return x.gain != y.gain ? x.gain > y.gain : x.triangle < y.triangle;
    });
    std::vector<std::uint8_t> touched(m_level.vertexCount(), 0);
    for (const Flip& flip : flips) {
        const std::size_t k = flip.corner;
        Triangle &first = m_level.triangles[flip.triangle], &second = m_level.triangles[flip.other];
        const VertexId a = first[(k + 1) % 3], b = first[(k + 2) % 3];
        const std::size_t m = second[0] != a && second[0] != b ? 0 : second[1] != a && second[1] != b ? 1 : 2;
        const std::array<VertexId, 4> corners = {first[k], a, b, second[m]};
        if (std::any_of(corners.begin(), corners.end(), [&](VertexId v) { return touched[v] != 0; })) continue;
        for (const VertexId v : corners) touched[v] = 1;
        const auto turn = [&](Triangle& x, Triangle& y) {
            const std::uint32_t c = x[k], atA = x[(k + 1) % 3], atB = x[(k + 2) % 3], d = y[m];
            x = {c, atA, d};
            y = {c, d, atB};
        };
        if (!m_level.wedges.empty()) turn(m_level.wedges[flip.triangle], m_level.wedges[flip.other]);
        turn(first, second);
        m_changed.insert(m_changed.end(), {flip.triangle, flip.other});
        for (const TriangleId t : {flip.triangle, flip.other})
            std::fill_n(m_hits.begin() + long(t * m_probes.size()), m_probes.size(), none);
    }
    connect();
}

// Where all corners are held, whoever held them wants nothing changed.
bool Polisher::mayBeSplit(TriangleId t) const {
    const Triangle& triangle = m_level.triangles[t];
    return !(isHeld(triangle[0]) && isHeld(triangle[1]) && isHeld(triangle[2]));
}

// The worst first, each well apart from the others: closest places must be found anew afterwards.
// @returns how many vertices were put in
std::size_t Polisher::insertAtWorst(std::size_t most) {
    struct Candidate {
        float distance = 0, area = 0;
        TriangleId triangle = 0;
        std::uint32_t sample = none;

        // The worst on top of a heap; ties by number, so that the order is always the same.
        bool operator<(const Candidate& other) const {
            if (distance != other.distance) return distance < other.distance;
            return area != other.area ? area < other.area : triangle > other.triangle;
        }
    };
    std::vector<Candidate> candidates(m_level.triangleCount());
    parallelFor(candidates.size(), [&](std::size_t t) {
        Candidate& candidate = candidates[t];
        const Triangle& triangle = m_level.triangles[t];
        candidate.triangle = TriangleId(t);
        candidate.area = float(areaNormal(place(triangle[0]), place(triangle[1]), place(triangle[2])).norm());
        for (const std::uint32_t s : m_samplesAt.of(t)) {
            const Sample& sample = m_samples[s];
            if (!(sample.weight > 0) || sample.distance <= candidate.distance) continue;
            candidate.distance = sample.distance;
            candidate.sample = s;
        }
    });
    std::make_heap(candidates.begin(), candidates.end());
    // Closer to an edge than this share, its triangles are split; and no split comes closer to a corner.
    constexpr double nearEdge = 0.15;
    std::vector<std::uint8_t> touched(m_level.vertexCount(), 0);
    std::vector<std::pair<VertexId, Vec3d>> lifts;
    for (; lifts.size() < most && !candidates.empty(); candidates.pop_back()) {
        std::pop_heap(candidates.begin(), candidates.end());
        const Candidate& candidate = candidates.back();
        const TriangleId t = candidate.triangle;
        const Triangle triangle = m_level.triangles[t];
        const auto isTouched = [&](VertexId v) { return touched[v] != 0; };
        if (!(candidate.area > 0) || std::any_of(triangle.begin(), triangle.end(), isTouched) || !mayBeSplit(t))
            continue;
        TrianglePoint at =
            candidate.sample == none ? TrianglePoint{1.0 / 3, 1.0 / 3} : m_samples[candidate.sample].at();
        const std::array<double, 3> shares = {at.first(), at.second, at.third};
        const auto k = std::size_t(std::min_element(shares.begin(), shares.end()) - shares.begin());
        Beyond beyond;
        if (shares[k] < nearEdge && !(isOnLine(triangle[(k + 1) % 3]) && isOnLine(triangle[(k + 2) % 3]))) {
            beyond = beyondEdge(m_level, m_around, t, k);
            if (beyond.isThere() && (m_sections[beyond.triangle] != m_sections[t] || !mayBeSplit(beyond.triangle) ||
                                     !isSmoothEdge(m_level, t, k, beyond)))
                beyond = {};
        }
        std::array<VertexId, 4> corners = {triangle[0], triangle[1], triangle[2], triangle[0]};
        if (beyond.isThere()) corners[3] = m_level.triangles[beyond.triangle][beyond.corner];
        if (isTouched(corners[3])) continue;
        for (const VertexId v : corners) touched[v] = 1;
        touched.push_back(1);
        std::array<double, 3> kept{};
        if (beyond.isThere()) {
            const double sum = 1 - shares[k];
            kept[(k + 1) % 3] = std::clamp(shares[(k + 1) % 3] / sum, nearEdge, 1 - nearEdge);
            kept[(k + 2) % 3] = 1 - kept[(k + 1) % 3];
        } else {
            for (std::size_t i = 0; i < 3; ++i) kept[i] = nearEdge + (1 - 3 * nearEdge) * shares[i];
        }
        at = {kept[1], kept[2]};
        const VertexId v = VertexId(m_level.vertexCount());
        m_births.push_back(beyond.isThere() ? splitEdge(m_level, m_sections, t, k, beyond, at, nextWedge())
                                            : splitTriangle(m_level, m_sections, t, at, nextWedge()));
        lifts.push_back(
            {v, candidate.sample == none ? m_births.back().place : m_samples[candidate.sample].point.cast<double>()});
        for (const TriangleId changed : {t, beyond.isThere() ? beyond.triangle : t})
            std::fill_n(m_hits.begin() + long(changed * m_probes.size()), m_probes.size(), none);
        m_vertexHits.push_back(none);
        m_lineNumber.push_back(none);
    }
    m_hits.resize(m_probes.size() * m_level.triangleCount(), none);
    connect();
    for (const auto& [v, to] : lifts) {
        lift(v, to);
        m_changed.insert(m_changed.end(), m_around.of(v).begin(), m_around.of(v).end());
    }
    return lifts.size();
}

// In a border's edge, at the place of the source's border that is farthest off it, or in the middle of the longest.
void Polisher::insertOnBorder(const Progress& progress) {
    struct Place {
        double distance = -1, length = 0, share = 0.5;  // of the edge's second vertex
        TriangleId triangle = 0;
        std::size_t corner = 0;
        std::uint32_t sample = none;

        auto rank() const { return std::pair(distance, length); }
    };
    constexpr double nearEnd = 0.15;
    Place worst;
    for (TriangleId t = 0; t < m_level.triangleCount(); ++t)
        for (std::size_t k = 0; k < 3; ++k) {
            const VertexId a = m_level.triangles[t][(k + 1) % 3], b = m_level.triangles[t][(k + 2) % 3];
            const bool areLocked = kindOf(a) == Kind::Locked && kindOf(b) == Kind::Locked;
            if (areLocked || !isBorderEdge(m_level, m_around, t, k)) continue;
            Place here{0, (place(a) - place(b)).squaredNorm(), 0.5, t, k, none};
            for (auto line =
                     std::lower_bound(m_lineSampleByTriangle.begin(), m_lineSampleByTriangle.end(), std::pair(t, 0u));
                 line != m_lineSampleByTriangle.end() && line->first == t; ++line) {
                const LineSample& sample = m_lineSamples[line->second];
                if (std::minmax(sample.a, sample.b) != std::minmax(a, b)) continue;
                const double share = sample.b == b ? double(sample.share) : 1 - double(sample.share);
                const double distance =
                    ((1 - share) * place(a) + share * place(b) - sample.point.cast<double>()).squaredNorm();
                if (distance <= here.distance || share < nearEnd || share > 1 - nearEnd) continue;
                here.distance = distance;
                here.share = share;
                here.sample = line->second;
            }
            if (here.rank() > worst.rank()) worst = here;
        }
    if (worst.distance < 0) return;
    const TriangleId t = worst.triangle;
    const std::size_t k = worst.corner;
    const VertexId a = m_level.triangles[t][(k + 1) % 3], b = m_level.triangles[t][(k + 2) % 3];
    std::array<double, 3> shares{};
    shares[(k + 1) % 3] = 1 - worst.share;
    shares[(k + 2) % 3] = worst.share;
    const VertexId v = VertexId(m_level.vertexCount());
    m_births.push_back(splitEdge(m_level, m_sections, t, k, {}, {shares[1], shares[2]}, nextWedge()));
    std::fill_n(m_hits.begin() + long(t * m_probes.size()), m_probes.size(), none);
    m_hits.resize(m_probes.size() * m_level.triangleCount(), none);
    m_vertexHits.push_back(none);
    insertOnLine(a, b, v);
    connect();
    if (worst.sample != none) lift(v, m_lineSamples[worst.sample].point.cast<double>());
    m_changed.insert(m_changed.end(), m_around.of(v).begin(), m_around.of(v).end());
    findClosestOfChanged(progress);
}

// v stands between a and b now; if a line runs along there, it runs through v.
void Polisher::insertOnLine(VertexId a, VertexId b, VertexId v) {
    m_provenance.levelKinds.resize(m_level.vertexCount(), Kind::Interior);
    m_lineNumber.push_back(none);
    const auto runsThrough = [&](VertexId from, VertexId to) {
        if (m_lineNumber[from] == none) return false;
        std::vector<VertexId>& neighbours = m_lineNeighbours[m_lineNumber[from]];
        const auto found = std::find(neighbours.begin(), neighbours.end(), to);
        if (found == neighbours.end()) return false;
        *found = v;
        return true;
    };
    if (!runsThrough(a, b) || !runsThrough(b, a)) return;
    m_provenance.levelKinds[v] = Kind::Feature;
    m_lineNumber[v] = std::uint32_t(m_lineNeighbours.size());
    m_lineNeighbours.push_back({a, b});
    for (LineSample& sample : m_lineSamples) {
        if (std::minmax(sample.a, sample.b) != std::minmax(a, b)) continue;
        sample.a = v;
        sample.b = a;
        sample.share = 0;
    }
}

}  // namespace um
