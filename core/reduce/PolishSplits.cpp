#include "reduce/Polisher.h"

#include <cmath>

namespace um {

namespace {

// Closer to an edge than this share, its triangles are split; and no split comes closer to a corner.
constexpr double nearEdge = 0.15;

bool isAnyTouched(const Triangle& triangle, const std::vector<std::uint8_t>& touched) {
    return std::any_of(triangle.begin(), triangle.end(), [&](VertexId v) { return touched[v] != 0; });
}

}  // namespace

// Where all corners are held, whoever held them wants nothing changed.
bool Polisher::mayBeSplit(TriangleId t) const {
    const Triangle& triangle = m_level.triangles[t];
    return !(isHeld(triangle[0]) && isHeld(triangle[1]) && isHeld(triangle[2]));
}

// Of an edge on a line or a border. At a pole nobody knows about lines.
bool Polisher::mayBeSplit(VertexId a, VertexId b) const {
    const bool isKnown = !isOnLine(a) || !isOnLine(b) || (m_lineNumber[a] != noIndex && m_lineNumber[b] != noIndex);
    return isKnown && (kindOf(a) != Kind::Locked || kindOf(b) != Kind::Locked);
}

// Whether an edge does not run elsewhere: a protected line runs along it, or may do so, or both of its ends are locked,
// and whoever locked them wants nothing changed.
bool Polisher::isFixed(VertexId a, VertexId b) const {
    if (!isOnLine(a) || !isOnLine(b)) return false;
    if (kindOf(a) == Kind::Locked && kindOf(b) == Kind::Locked) return true;
    if (m_lineNumber[a] == noIndex || m_lineNumber[b] == noIndex) return true;
    const std::vector<VertexId>& neighbours = m_lineNeighbours[m_lineNumber[a]];
    return std::find(neighbours.begin(), neighbours.end(), b) != neighbours.end();
}

// Of each triangle, its sample that is farthest off.
std::vector<Polisher::FarPlace> Polisher::farSamples() const {
    std::vector<FarPlace> places(m_level.triangleCount());
    parallelFor(places.size(), [&](std::size_t t) {
        FarPlace& far = places[t];
        const Triangle& triangle = m_level.triangles[t];
        const Vec3d a = place(triangle[0]), b = place(triangle[1]), c = place(triangle[2]);
        far.triangle = TriangleId(t);
        far.at = {1.0 / 3, 1.0 / 3};
        far.onSource = far.at.of(a, b, c);
        far.area = float(2 * triangleArea(m_level, far.triangle));
        for (const std::uint32_t s : m_samplesAt.of(t)) {
            const Sample& sample = m_samples[s];
            if (!(sample.weight > 0) || sample.distance <= far.distance) continue;
            far.distance = sample.distance;
            far.at = sample.at();
            far.onSource = placeOf(sample);
        }
    });
    return places;
}

// The split of its triangle, or of an edge that it is close to, which may be split too.
Polisher::Split Polisher::splitAt(const FarPlace& far, bool isLifted) const {
    const Triangle& triangle = m_level.triangles[far.triangle];
    const std::array<double, 3> shares = {far.at.first(), far.at.second, far.at.third};
    const auto k = std::size_t(std::min_element(shares.begin(), shares.end()) - shares.begin());
    const VertexId a = triangle[(k + 1) % 3], b = triangle[(k + 2) % 3];
    Split split;
    split.triangle = far.triangle;
    split.corner = k;
    if (shares[k] < nearEdge && !isFixed(a, b)) {
        const Beyond beyond = beyondEdge(m_level, m_around, far.triangle, k);
        if (beyond.isThere() && m_sections[beyond.triangle] == m_sections[far.triangle] &&
            mayBeSplit(beyond.triangle) && isSmoothEdge(m_level, far.triangle, k, beyond))
            split.beyond = beyond;
    }
    split.isOnEdge = split.beyond.isThere();
    std::array<double, 3> kept{};
    if (split.isOnEdge) {
        const double sum = 1 - shares[k];
        kept[(k + 1) % 3] = std::clamp(shares[(k + 1) % 3] / sum, nearEdge, 1 - nearEdge);
        kept[(k + 2) % 3] = 1 - kept[(k + 1) % 3];
        const VertexId d = m_level.triangles[split.beyond.triangle][split.beyond.corner];
        split.sides = {{triangle[k], a}, {a, d}, {d, b}, {b, triangle[k]}};
    } else {
        for (std::size_t i = 0; i < 3; ++i) kept[i] = nearEdge + (1 - 3 * nearEdge) * shares[i];
        split.sides = {{triangle[0], triangle[1]}, {triangle[1], triangle[2]}, {triangle[2], triangle[0]}};
    }
    split.at = {kept[1], kept[2]};
    const Vec3d from = split.at.of(place(triangle[0]), place(triangle[1]), place(triangle[2]));
    split.place = isLifted ? lifted(split.sides, from, far.onSource) : from;
    return split;
}

// Whether one of the new triangles would be farther off the source than that.
bool Polisher::runsFartherOff(const Split& split, double distance) const {
    return std::any_of(split.sides.begin(), split.sides.end(), [&](const Side& side) {
        return std::any_of(trianglePlaces().begin(), trianglePlaces().end(), [&](const TrianglePoint& at) {
            const Vec3d p = at.of(place(side.first), place(side.second), split.place);
            return offSquared(split.triangle, p, distance * distance) > distance * distance;
        });
    });
}

// Whether something that the source has between its vertices at what is split would be farther off the new triangles
// than that, and than it is off the old.
bool Polisher::leavesFartherOff(const Split& split, double distance) const {
    const auto isFartherOff = [&](const Vec3d& p) {
        double old = squaredDistance(p, cornersOf(split.triangle));
        if (split.beyond.isThere()) old = std::min(old, squaredDistance(p, cornersOf(split.beyond.triangle)));
        const double known = std::max(old, distance * distance);
        return std::all_of(split.sides.begin(), split.sides.end(), [&](const Side& side) {
            return squaredDistance(p, {place(side.first), place(side.second), split.place}) > known;
        });
    };
    const auto isAt = [&](TriangleId t) {
        return std::any_of(m_samplesAt.of(t).begin(), m_samplesAt.of(t).end(), [&](std::uint32_t s) {
            const auto around = m_from.around.of(m_samples[s].vertex);
            return std::any_of(around.begin(), around.end(), [&](TriangleId on) {
                const auto [a, b, c] = m_from.cornersOf(on);
                return isFartherOff((a + b) / 2) || isFartherOff((b + c) / 2) || isFartherOff((c + a) / 2);
            });
        });
    };
    return isAt(split.triangle) || (split.beyond.isThere() && isAt(split.beyond.triangle));
}

// The farthest first, each well apart from the others: closest places must be found anew afterwards.
// @returns how many vertices were put in
std::size_t Polisher::insertAt(std::vector<FarPlace> places, std::size_t most, bool isCareful) {
    std::make_heap(places.begin(), places.end());
    std::vector<std::uint8_t> touched(m_level.vertexCount(), 0);
    std::size_t inserted = 0;
    for (; inserted < most && !places.empty(); places.pop_back()) {
        std::pop_heap(places.begin(), places.end());
        const FarPlace& far = places.back();
        if (!(far.area > 0) || !mayBeSplit(far.triangle) || isAnyTouched(m_level.triangles[far.triangle], touched))
            continue;
        Split split = splitAt(far, true);
        if (isCareful && (runsFartherOff(split, double(far.distance)) || leavesFartherOff(split, double(far.distance))))
            split = splitAt(far, false);
        if (split.touches(touched)) continue;
        split.touch(touched);
        insert(split);
        ++inserted;
    }
    connect();
    return inserted;
}

void Polisher::insert(const Split& split) {
    const TriangleId t = split.triangle;
    const std::size_t triangles = m_level.triangleCount();
    if (split.isOnEdge) {
        const Triangle before = m_level.triangles[t];
        const auto births = splitEdge(m_level, m_sections, t, split.corner, split.beyond, split.at, nextWedge());
        m_births.insert(m_births.end(), births.begin(), births.end());
        insertOnLine(before[(split.corner + 1) % 3], before[(split.corner + 2) % 3], births.front().vertex);
    } else {
        m_births.push_back(splitTriangle(m_level, m_sections, t, split.at, nextWedge()));
    }
    m_level.positions.back() = split.place.cast<float>();
    m_hits.resize(m_probes.size() * m_level.triangleCount(), noIndex);
    m_vertexHits.push_back(noIndex);
    markChanged(t);
    if (split.beyond.isThere()) markChanged(split.beyond.triangle);
    for (std::size_t i = triangles; i < m_level.triangleCount(); ++i) markChanged(TriangleId(i));
}

void Polisher::markChanged(TriangleId t) {
    m_changed.push_back(t);
    std::fill_n(m_hits.begin() + long(t * m_probes.size()), m_probes.size(), noIndex);
}

// In a border's edge, at the place of the source's border that is farthest off it, or in the middle of the longest.
void Polisher::insertOnBorder(bool isCareful, const Progress& progress) {
    struct Place {
        double distance = -1, length = 0, share = 0.5;  // of the edge's second vertex
        TriangleId triangle = 0;
        std::size_t corner = 0;
        std::uint32_t sample = noIndex;

        auto rank() const { return std::pair(distance, length); }
    };
    constexpr double nearEnd = 0.15;
    findClosestOfChanged(progress);
    Place worst;
    for (TriangleId t = 0; t < m_level.triangleCount(); ++t)
        for (std::size_t k = 0; k < 3; ++k) {
            const VertexId a = m_level.triangles[t][(k + 1) % 3], b = m_level.triangles[t][(k + 2) % 3];
            if (!mayBeSplit(a, b) || !isBorderEdge(m_level, m_around, t, k)) continue;
            Place here{0, (place(a) - place(b)).squaredNorm(), 0.5, t, k, noIndex};
            for (const std::uint32_t i : m_lineSamplesAt.of(t)) {
                const LineSample& sample = m_lineSamples[i];
                if (std::minmax(sample.a, sample.b) != std::minmax(a, b)) continue;
                const double share = sample.b == b ? double(sample.share) : 1 - double(sample.share);
                const double distance =
                    ((1 - share) * place(a) + share * place(b) - sample.point.cast<double>()).squaredNorm();
                if (distance <= here.distance || share < nearEnd || share > 1 - nearEnd) continue;
                here.distance = distance;
                here.share = share;
                here.sample = i;
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
    const VertexId c = m_level.triangles[t][k];
    Split split{t, k, {}, true, {shares[1], shares[2]}, {{b, c}, {c, a}}, {}};
    const Vec3d between = (1 - worst.share) * place(a) + worst.share * place(b);
    split.place = between;
    if (worst.sample != noIndex)
        split.place = lifted(split.sides, between, m_lineSamples[worst.sample].point.cast<double>());
    const auto distance = double(m_farthest[t]);
    if (isCareful && (runsFartherOff(split, distance) || leavesFartherOff(split, distance))) split.place = between;
    insert(split);
    connect();
}

// v stands between a and b now; if a line runs along there, it runs through v.
void Polisher::insertOnLine(VertexId a, VertexId b, VertexId v) {
    m_provenance.levelKinds.resize(m_level.vertexCount(), Kind::Interior);
    m_lineNumber.resize(m_level.vertexCount(), noIndex);
    const auto runsThrough = [&](VertexId from, VertexId to) {
        if (m_lineNumber[from] == noIndex) return false;
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
