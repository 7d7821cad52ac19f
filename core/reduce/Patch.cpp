#include "reduce/Patch.h"

#include "base/Parallel.h"

#include "reduce/EdgeRules.h"

#include <cmath>

namespace um {

namespace {

// Each step is the best of hundreds: where so many have not helped, more will not.
constexpr int mostPatchSteps = 8;

// Distances below this share of the goal, squared, count for next to nothing, and need not be known exactly.
constexpr double negligible = 0.2;

// The cosine to the source that a triangle must have, if those in whose stead it is had it.
constexpr double usualFacing = 0.5;

// Above this share, what lies between the places that are looked at may be farther off than the goal.
constexpr double doubtful = 0.3;

// Around the middle of what is split.
constexpr std::size_t mostPlacesForSplit = 3;

// Like no other.
constexpr WedgeId firstNewWedge = noIndex / 2;

std::vector<Vec3d> nearestOf(const std::vector<Vec3d>& samples, const Vec3d& p, std::size_t count) {
    std::vector<Vec3d> nearest(std::min(count, samples.size()));
    std::partial_sort_copy(
        samples.begin(), samples.end(), nearest.begin(), nearest.end(),
        [&](const Vec3d& x, const Vec3d& y) { return (x - p).squaredNorm() < (y - p).squaredNorm(); });
    return nearest;
}

// All over a triangle, so many steps along each edge.
std::vector<TrianglePoint> placesOfSteps(int n) {
    std::vector<TrianglePoint> all;
    for (int i = 0; i <= n; ++i)
        for (int j = 0; i + j <= n; ++j) all.push_back({double(i) / n, double(j) / n});
    std::stable_sort(all.begin(), all.end(), [](const TrianglePoint& x, const TrianglePoint& y) {
        const auto most = [](const TrianglePoint& p) { return std::max({p.first(), p.second, p.third}); };
        return most(x) < most(y);
    });
    return all;
}

PatchStep stepAt(PatchStep::Kind kind, TriangleId t, std::size_t k = 0, const Beyond& beyond = {}) {
    PatchStep step;
    step.kind = kind;
    step.triangle = t;
    step.corner = k;
    step.beyond = beyond;
    return step;
}

}  // namespace

const std::vector<TrianglePoint>& trianglePlaces() {
    static const std::vector<TrianglePoint> places = placesOfSteps(6);
    return places;
}

const std::vector<TrianglePoint>& closeTrianglePlaces() {
    static const std::vector<TrianglePoint> places = placesOfSteps(12);
    return places;
}

Patch::Ground::Ground(Mesh surface) : mesh(std::move(surface)), tree(mesh, Progress()) {
    for (const Triangle& triangle : mesh.triangles) {
        const auto at = [&](std::size_t i) { return Vec3d(mesh.positions[triangle[i]].cast<double>()); };
        normals.push_back(areaNormal(at(0), at(1), at(2)).normalized());
    }
}

Patch::Patch(Content content)
    : m_content(std::move(content)), m_ground(std::make_shared<const Ground>(std::move(m_content.ground))) {}

Patch::Corners Patch::cornersOf(TriangleId t) const {
    const Triangle& triangle = m_content.piece.triangles[t];
    return {place(triangle[0]), place(triangle[1]), place(triangle[2])};
}

// The twelfth power of the distance: nearly the largest, but what is second to it counts, too.
double Patch::badnessOf(double squaredDistance) const {
    const double x = squaredDistance / m_goalSquared, cubed = x * x * x;
    return cubed * cubed;
}

// @param before  how it, or what was there, lay: it is mostly bad at the same place
// @param most    where the badness is more than that, the rest is not looked at
Patch::Side Patch::sideOf(const Corners& corners, const Side& before, double most) const {
    const auto& [a, b, c] = corners;
    const Vec3d normal = areaNormal(a, b, c).normalized();
    const std::vector<TrianglePoint>& places = m_limits.isCloseLook ? closeTrianglePlaces() : trianglePlaces();
    const auto placeAt = [&](std::size_t i) { return i == 0 ? before.worst : places[i - 1]; };
    Side side;
    side.nearest = before.nearest;
    double counted = 0;  // the farthest of the places all over it
    std::array<Vec3d, laneCount> points;
    std::array<SurfacePoint, laneCount> closest;
    for (std::size_t begin = 0; begin <= places.size() && side.badness <= most; begin += laneCount) {
        const std::size_t count = std::min(laneCount, places.size() + 1 - begin);
        for (std::size_t i = 0; i < count; ++i) points[i] = placeAt(begin + i).of(a, b, c);
        m_ground->tree.findClosest(std::span(points).first(count), side.nearest, std::span(closest).first(count));
        side.nearest = closest.front().triangle;
        for (std::size_t i = 0; i < count; ++i) {
            const double squared = closest[i].distance * closest[i].distance;
            if (squared > side.farthestSquared) {
                side.farthestSquared = squared;
                side.worst = placeAt(begin + i);
            }
            if (begin + i == 0) continue;
            counted = std::max(counted, squared);
            side.badness += badnessOf(squared);
            side.facing += m_ground->normals[closest[i].triangle].dot(normal) / double(places.size());
        }
        if (badnessOf(side.farthestSquared) > most)
            side.badness = std::max(side.badness, badnessOf(side.farthestSquared));
    }
    if (side.badness > most) return side;
    // Along a fold the distance has a narrow ridge.
    if (side.farthestSquared > doubtful * m_goalSquared)
        side.worst = climb(side.worst, side.farthestSquared, [&](auto there, auto squared) {
            if (there.empty()) return;
            for (std::size_t i = 0; i < there.size(); ++i) points[i] = there[i].of(a, b, c);
            m_ground->tree.findClosest(std::span(points).first(there.size()), side.nearest,
                                       std::span(closest).first(there.size()));
            for (std::size_t i = 0; i < there.size(); ++i) squared[i] = closest[i].distance * closest[i].distance;
        });
    side.badness += badnessOf(side.farthestSquared) - badnessOf(counted);
    return side;
}

void Patch::measure(TriangleId t) {
    const Corners corners = cornersOf(t);
    m_sides[t] = sideOf(corners, m_sides[t], std::numeric_limits<double>::max());
    m_distances[t].resize(m_content.samples.size());
    for (std::size_t s = 0; s < m_content.samples.size(); ++s)
        m_distances[t][s] = float(squaredDistance(m_content.samples[s], corners));
}

void Patch::sumUp() {
    m_badness = m_farthestSquared = m_squares = 0;
    for (const Side& side : m_sides) {
        m_badness += side.badness;
        m_farthestSquared = std::max(m_farthestSquared, side.farthestSquared);
    }
    const double ofSides = m_badness;
    m_least = m_content.beside;
    m_closest.assign(m_least.size(), noIndex);
    for (TriangleId t = 0; t < m_distances.size(); ++t)
        for (std::size_t s = 0; s < m_least.size(); ++s)
            if (m_distances[t][s] < m_least[s]) {
                m_least[s] = m_distances[t][s];
                m_closest[s] = t;
            }
    m_farSamples.clear();
    for (std::uint32_t s = 0; s < m_least.size(); ++s) {
        const auto squared = double(m_least[s]);
        m_badness += badnessOf(squared);
        m_squares += squared;
        m_farthestSquared = std::max(m_farthestSquared, squared);
        if (isFar(s)) m_farSamples.push_back(s);
    }
    m_isWorstAtSamples = m_badness > 2 * ofSides;
    std::stable_sort(m_farSamples.begin(), m_farSamples.end(),
                     [&](std::uint32_t x, std::uint32_t y) { return m_least[x] > m_least[y]; });
    m_samplesAt = groupItems(m_least.size(), m_sides.size(), [&](std::size_t s, const auto& visit) {
        if (m_closest[s] != noIndex) visit(m_closest[s]);
    });
    m_around = findVertexTriangles(m_content.piece.triangles, m_content.piece.positions.size());
    findWorst();
}

// The triangle with the most badness, and its neighbours across its edges: elsewhere no step helps much.
void Patch::findWorst() {
    std::vector<double> badness(m_sides.size());
    for (TriangleId t = 0; t < m_sides.size(); ++t) badness[t] = m_sides[t].badness;
    m_farthestSample = noIndex;
    for (const std::uint32_t s : m_farSamples) {
        if (m_closest[s] == noIndex) continue;
        badness[m_closest[s]] += badnessOf(double(m_least[s]));
        if (m_farthestSample == noIndex || m_least[s] > m_least[m_farthestSample]) m_farthestSample = s;
    }
    const auto worst = TriangleId(std::max_element(badness.begin(), badness.end()) - badness.begin());
    m_isAtWorst.assign(m_sides.size(), 0);
    m_isAtWorst[worst] = 1;
    for (std::size_t k = 0; k < 3; ++k)
        if (const Beyond beyond = beyondEdge(m_content.piece, m_around, worst, k); beyond.isThere())
            m_isAtWorst[beyond.triangle] = 1;
}

bool Patch::isFar(std::size_t sample) const {
    return double(m_least[sample]) > negligible * m_goalSquared;
}

std::vector<Patch::Trial> Patch::flips() const {
    std::vector<Trial> found;
    const Mesh& piece = m_content.piece;
    for (TriangleId t = 0; t < piece.triangles.size(); ++t)
        for (std::size_t k = 0; k < 3; ++k) {
            const Triangle& triangle = piece.triangles[t];
            const VertexId c = triangle[k], a = triangle[(k + 1) % 3], b = triangle[(k + 2) % 3];
            if (a > b || !isInside(a, b)) continue;
            const Beyond beyond = beyondEdge(piece, m_around, t, k);
            if (!beyond.isThere() || m_content.sections[t] != m_content.sections[beyond.triangle]) continue;
            if (m_isAtWorst[t] == 0 && m_isAtWorst[beyond.triangle] == 0) continue;
            const VertexId d = piece.triangles[beyond.triangle][beyond.corner];
            if (d == c || !isInside(c, d) || lineAlong(a, b)) continue;
            if (!isSmoothEdge(piece, t, k, beyond)) continue;
            const auto around = m_around.of(c);
            if (std::any_of(around.begin(), around.end(),
                            [&](TriangleId o) { return contains(piece.triangles[o], d); }))
                continue;
            const PatchStep step = stepAt(PatchStep::Kind::Flip, t, k, beyond);
            found.push_back(
                {step, {t, beyond.triangle}, {{place(c), place(a), place(d)}, {place(c), place(d), place(b)}}});
        }
    return found;
}

std::optional<std::size_t> Patch::lineAlong(VertexId a, VertexId b) const {
    for (std::size_t i = 0; i < m_content.lines.size(); ++i)
        if (std::minmax(m_content.lines[i].a, m_content.lines[i].b) == std::minmax(a, b)) return i;
    return {};
}

std::vector<Vec3d> Patch::lineSamplesAt(VertexId v) const {
    std::vector<Vec3d> samples;
    for (const Line& line : m_content.lines)
        if (line.a == v || line.b == v) samples.insert(samples.end(), line.samples.begin(), line.samples.end());
    return samples;
}

// v stands on it now; each half takes the samples on its side.
void Patch::splitLine(Line& line, VertexId v) {
    Line other{v, line.b, line.mayBeSplit, {}};
    const Vec3d along = place(line.b) - place(line.a);
    const auto behind = std::stable_partition(line.samples.begin(), line.samples.end(),
                                              [&](const Vec3d& p) { return (p - place(v)).dot(along) <= 0; });
    other.samples.assign(behind, line.samples.end());
    line.samples.erase(behind, line.samples.end());
    line.b = v;
    m_content.roles[v].isOnLine = true;
    m_content.lines.push_back(std::move(other));
}

// To the source's points nearby and the one that is farthest off, which carry its edges and tips; and a little to all
// sides, which is what helps where the source is much finer. On a line, to what the source has of it.
std::vector<Vec3d> Patch::placesAround(VertexId v) const {
    constexpr std::size_t mostSamples = 6;
    std::vector<Vec3d> places;
    const bool isOnLine = m_content.roles[v].isOnLine;
    std::vector<Vec3d> samples = nearestOf(isOnLine ? lineSamplesAt(v) : m_content.samples, place(v), mostSamples);
    if (!isOnLine && m_farthestSample != noIndex) samples.push_back(m_content.samples[m_farthestSample]);
    for (const Vec3d& sample : samples)
        for (const double share : {1.0, 0.5}) places.push_back(place(v) + share * (sample - place(v)));
    if (isOnLine) return places;
    const double goal = std::sqrt(m_goalSquared);
    Vec3d normal = Vec3d::Zero();
    for (const TriangleId t : m_around.of(v)) {
        const auto [a, b, c] = cornersOf(t);
        normal += areaNormal(a, b, c);
    }
    if (!(normal.norm() > 0)) return places;
    normal.normalize();
    const Vec3d across = normal.unitOrthogonal(), along = normal.cross(across);
    for (const double share : {-1.0, -0.5, -0.25, 0.25, 0.5, 1.0}) places.push_back(place(v) + share * goal * normal);
    for (const double share : {-2.0, -1.0, 1.0, 2.0})
        for (const Vec3d& direction : {across, along}) places.push_back(place(v) + share * goal * direction);
    return places;
}

std::vector<Patch::Trial> Patch::moves() const {
    std::vector<Trial> found;
    for (VertexId v = 0; v < m_content.piece.positions.size(); ++v) {
        if (m_content.roles[v].isOnRim || m_content.roles[v].isHeld) continue;
        std::vector<TriangleId> around(m_around.of(v).begin(), m_around.of(v).end());
        if (std::none_of(around.begin(), around.end(), [&](TriangleId t) { return m_isAtWorst[t] != 0; })) continue;
        // What is worst mostly stays so, which is seen soonest there.
        std::stable_sort(around.begin(), around.end(),
                         [&](TriangleId x, TriangleId y) { return m_sides[x].badness > m_sides[y].badness; });
        for (const Vec3d& p : placesAround(v)) {
            Trial trial;
            trial.step.vertex = v;
            trial.step.place = p.cast<float>().cast<double>();
            trial.old = around;
            for (const TriangleId t : around) {
                Corners corners = cornersOf(t);
                for (std::size_t k = 0; k < 3; ++k)
                    if (m_content.piece.triangles[t][k] == v) corners[k] = trial.step.place;
                trial.now.push_back(corners);
            }
            found.push_back(std::move(trial));
        }
    }
    return found;
}

// The source's points around the middle, the one that is farthest off, and the middle's own closest place.
std::vector<Vec3d> Patch::placesForSplit(const Vec3d& middle) const {
    std::vector<Vec3d> places = nearestOf(m_content.samples, middle, mostPlacesForSplit);
    if (m_farthestSample != noIndex) places.push_back(m_content.samples[m_farthestSample]);
    SurfacePoint closest;
    m_ground->tree.findClosest(std::span(&middle, 1), 0, std::span(&closest, 1));
    places.push_back(closest.place);
    return places;
}

// Of the source's line, what is around the middle, and what is farthest off.
std::vector<Vec3d> Patch::placesForSplit(const Line& line) const {
    const Vec3d a = place(line.a), along = (place(line.b) - a).normalized();
    std::vector<Vec3d> places = nearestOf(line.samples, (a + place(line.b)) / 2, mostPlacesForSplit);
    const auto off = [&](const Vec3d& p) { return (p - a).cross(along).squaredNorm(); };
    const auto farthest = std::max_element(line.samples.begin(), line.samples.end(),
                                           [&](const Vec3d& x, const Vec3d& y) { return off(x) < off(y); });
    if (farthest != line.samples.end()) places.push_back(*farthest);
    return places;
}

void Patch::addSplits(Trial split, const std::vector<Vec3d>& places, std::vector<Trial>& splits) const {
    if (m_newTriangles + split.step.newTriangles() > m_limits.triangles) return;
    for (const Vec3d& p : places) {
        Trial trial = split;
        trial.step.place = p.cast<float>().cast<double>();
        for (Corners& corners : trial.now) corners[2] = trial.step.place;
        splits.push_back(std::move(trial));
    }
}

// Of an edge that is no line's, as long as all at it is the same on both of its sides.
bool Patch::maySplitFreely(TriangleId t, std::size_t k, const Beyond& beyond) const {
    const Triangle& triangle = m_content.piece.triangles[t];
    return beyond.isThere() && isInside(triangle[(k + 1) % 3], triangle[(k + 2) % 3]) && !areAllHeld(t) &&
           !areAllHeld(beyond.triangle) && m_content.sections[t] == m_content.sections[beyond.triangle] &&
           isSmoothEdge(m_content.piece, t, k, beyond);
}

std::vector<Patch::Trial> Patch::splits() const {
    std::vector<Trial> found;
    const Mesh& piece = m_content.piece;
    for (TriangleId t = 0; t < piece.triangles.size(); ++t) {
        const Triangle& triangle = piece.triangles[t];
        if (m_isAtWorst[t] != 0 && !areAllHeld(t)) {
            const Corners corners = cornersOf(t);
            Trial inside;
            inside.step = stepAt(PatchStep::Kind::SplitTriangle, t);
            inside.step.at = {1.0 / 3, 1.0 / 3};
            inside.old = {t};
            for (std::size_t k = 0; k < 3; ++k) inside.now.push_back({corners[k], corners[(k + 1) % 3], Vec3d::Zero()});
            addSplits(std::move(inside), placesForSplit((corners[0] + corners[1] + corners[2]) / 3), found);
        }
        for (std::size_t k = 0; k < 3; ++k) {
            const VertexId a = triangle[(k + 1) % 3], b = triangle[(k + 2) % 3];
            const Beyond beyond = beyondEdge(piece, m_around, t, k);
            if (beyond.isThere() && a > b) continue;
            if (m_isAtWorst[t] == 0 && (!beyond.isThere() || m_isAtWorst[beyond.triangle] == 0)) continue;
            const std::optional<std::size_t> line = lineAlong(a, b);
            if (line ? !m_content.lines[*line].mayBeSplit : !maySplitFreely(t, k, beyond)) continue;
            const Vec3d pa = place(a), pb = place(b), pc = place(triangle[k]);
            Trial onEdge;
            onEdge.step = stepAt(PatchStep::Kind::SplitEdge, t, k, beyond);
            onEdge.step.at = {k == 1 ? 0 : 0.5, k == 2 ? 0 : 0.5};
            onEdge.old = {t};
            onEdge.now = {{pc, pa, Vec3d::Zero()}, {pb, pc, Vec3d::Zero()}};
            if (beyond.isThere()) {
                const Vec3d pd = place(piece.triangles[beyond.triangle][beyond.corner]);
                onEdge.old.push_back(beyond.triangle);
                onEdge.now.push_back({pa, pd, Vec3d::Zero()});
                onEdge.now.push_back({pd, pb, Vec3d::Zero()});
            }
            addSplits(std::move(onEdge), line ? placesForSplit(m_content.lines[*line]) : placesForSplit((pa + pb) / 2),
                      found);
        }
    }
    return found;
}

float Patch::leastWithout(std::size_t sample, const std::vector<std::uint8_t>& isOld) const {
    float least = m_content.beside[sample];
    for (TriangleId t = 0; t < m_distances.size(); ++t)
        if (isOld[t] == 0) least = std::min(least, m_distances[t][sample]);
    return least;
}

// What badness there would be after a trial; where it would be more than `most` or the trial is not allowed, something
// above that.
double Patch::badnessAfter(const Trial& trial, double most) const {
    constexpr double tooMuch = std::numeric_limits<double>::max();
    double worstShape = 1, leastFacing = usualFacing;
    for (const TriangleId t : trial.old) {
        const auto& [a, b, c] = cornersOf(t);
        worstShape = std::min(worstShape, shapeOf(a, b, c));
        leastFacing = std::min(leastFacing, std::max(0.0, m_sides[t].facing));
    }
    for (const auto& [a, b, c] : trial.now)
        if (shapeOf(a, b, c) < std::min(needleQuality, worstShape)) return tooMuch;
    std::vector<std::uint8_t> isOld(m_sides.size(), 0);
    for (const TriangleId t : trial.old) isOld[t] = 1;
    double badness = 0, squares = m_squares;
    for (TriangleId t = 0; t < m_sides.size(); ++t)
        if (isOld[t] == 0) badness += m_sides[t].badness;
    const auto leastNow = [&](std::uint32_t s) {
        double least = std::numeric_limits<double>::max();
        for (const Corners& corners : trial.now)
            least = std::min(least, squaredDistance(m_content.samples[s], corners));
        return least;
    };
    // Mostly what is farthest off tells that a trial is no good.
    const auto addSamples = [&] {
        for (const std::uint32_t s : m_farSamples) {
            if (badness > most) return false;
            const bool isAtOld = m_closest[s] != noIndex && isOld[m_closest[s]] != 0;
            const double squared = std::min(double(isAtOld ? leastWithout(s, isOld) : m_least[s]), leastNow(s));
            badness += badnessOf(squared);
            squares += squared - double(m_least[s]);
        }
        for (const TriangleId t : trial.old)
            for (const std::uint32_t s : m_samplesAt.of(t)) {
                if (badness > most) return false;
                if (isFar(s)) continue;
                double squared = leastNow(s);
                if (squared > negligible * m_goalSquared) squared = std::min(squared, double(leastWithout(s, isOld)));
                badness += badnessOf(squared);
                squares += squared - double(m_least[s]);
            }
        return badness <= most && squares <= m_mostSquares;
    };
    const auto addSides = [&] {
        for (std::size_t i = 0; i < trial.now.size(); ++i) {
            if (badness > most) return false;
            const Side& before = m_sides[trial.old[std::min(i, trial.old.size() - 1)]];
            const Side side = sideOf(trial.now[i], before, most - badness);
            badness += side.badness;
            if (badness <= most && !(side.facing > leastFacing)) return false;
        }
        return true;
    };
    const bool isAllowed = m_isWorstAtSamples ? addSamples() && addSides() : addSides() && addSamples();
    return isAllowed ? badness : tooMuch;
}

void Patch::take(const Trial& trial) {
    const PatchStep& step = trial.step;
    Mesh& piece = m_content.piece;
    const Triangle before = piece.triangles[step.triangle];
    const auto line = step.kind == PatchStep::Kind::SplitEdge
                          ? lineAlong(before[(step.corner + 1) % 3], before[(step.corner + 2) % 3])
                          : std::nullopt;
    const std::size_t triangles = piece.triangles.size();
    const WedgeId wedge = firstNewWedge + WedgeId(m_newWedges);
    switch (step.kind) {
        case PatchStep::Kind::Flip: flipEdge(piece, step.triangle, step.corner, step.beyond); break;
        case PatchStep::Kind::Move: piece.positions[step.vertex] = step.place.cast<float>(); break;
        case PatchStep::Kind::SplitTriangle:
            splitTriangle(piece, m_content.sections, step.triangle, step.at, wedge);
            ++m_newWedges;
            break;
        case PatchStep::Kind::SplitEdge:
            m_newWedges +=
                splitEdge(piece, m_content.sections, step.triangle, step.corner, step.beyond, step.at, wedge).size();
            break;
    }
    if (step.addsAVertex()) {
        m_newTriangles += step.newTriangles();
        piece.positions.back() = step.place.cast<float>();
        m_content.roles.push_back({});
        if (line) splitLine(m_content.lines[*line], VertexId(piece.positions.size() - 1));
        m_sides.resize(piece.triangles.size());
        m_distances.resize(piece.triangles.size());
    }
    for (const TriangleId t : trial.old) measure(t);
    for (std::size_t t = triangles; t < piece.triangles.size(); ++t) measure(TriangleId(t));
    sumUp();
}

// The best of those after which the badness is less than that, the best first; ties by their order.
// @param mostBySplit  for those that put in a vertex
std::vector<Patch::Rated> Patch::bestTrials(std::size_t count, double most, double mostBySplit,
                                            const Progress& progress) const {
    std::vector<Rated> best;
    const auto look = [&](std::vector<Trial> trials, double limit) {
        for (Trial& trial : trials) {
            progress.check();
            const double least = best.size() < count ? limit : std::min(limit, best.back().badness);
            const double badness = badnessAfter(trial, least);
            if (!(badness < least)) continue;
            const auto behind = std::upper_bound(best.begin(), best.end(), badness,
                                                 [](double b, const Rated& other) { return b < other.badness; });
            best.insert(behind, {badness, std::move(trial)});
            if (best.size() > count) best.pop_back();
        }
    };
    look(flips(), most);
    look(moves(), most);
    if (m_newTriangles < m_limits.triangles) look(splits(), mostBySplit);
    return best;
}

// Where none helps by itself: what the first has made worse, the second may make good. There may be but one such patch
// in a level, so the second steps are looked for side by side.
std::vector<Patch::Trial> Patch::bestTwoTrials(const Progress& progress) const {
    constexpr double worseAtFirst = 2;
    const std::vector<Rated> firsts =
        bestTrials(m_limits.ahead, worseAtFirst * m_badness, worseAtFirst * m_badness, progress);
    std::vector<std::vector<Rated>> seconds(firsts.size());
    parallelFor(
        firsts.size(),
        [&](std::size_t i) {
            const Trial& first = firsts[i].trial;
            Patch next = *this;
            next.take(first);
            const double left = m_badness * (first.step.addsAVertex() ? m_limits.mostLeftBySplit : m_limits.mostLeft);
            seconds[i] = next.bestTrials(1, std::min(m_badness, left * m_limits.mostLeft),
                                         std::min(m_badness, left * m_limits.mostLeftBySplit), progress);
        },
        1);
    std::vector<Trial> both;
    double least = m_badness;
    for (std::size_t i = 0; i < firsts.size(); ++i) {
        if (seconds[i].empty() || !(seconds[i].front().badness < least)) continue;
        least = seconds[i].front().badness;
        both = {firsts[i].trial, seconds[i].front().trial};
    }
    return both;
}

std::vector<PatchStep> Patch::improve(double goal, const PatchLimits& limits, const Progress& progress) {
    m_goalSquared = goal * goal;
    m_limits = limits;
    m_sides.resize(m_content.piece.triangles.size());
    m_distances.resize(m_sides.size());
    for (TriangleId t = 0; t < m_sides.size(); ++t) measure(t);
    sumUp();
    m_mostSquares = limits.squares * m_squares;
    std::vector<PatchStep> steps;
    while (int(steps.size()) < mostPatchSteps && m_farthestSquared > m_goalSquared) {
        std::vector<Trial> next;
        for (const Rated& best :
             bestTrials(1, limits.mostLeft * m_badness, limits.mostLeftBySplit * m_badness, progress))
            next.push_back(best.trial);
        if (next.empty() && limits.ahead > 0) next = bestTwoTrials(progress);
        if (next.empty()) break;
        for (const Trial& trial : next) {
            steps.push_back(trial.step);
            take(trial);
        }
    }
    return steps;
}

}  // namespace um
