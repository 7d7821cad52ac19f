#include "measure/Deviation.h"

#include "measure/ClosestOfMany.h"
#include "measure/DistanceBound.h"
#include "mesh/SpatialOrder.h"

#include <oneapi/tbb/parallel_invoke.h>

#include <array>
#include <atomic>
#include <cmath>
#include <limits>
#include <map>

namespace um {
namespace {

// Closest points that may be asked for to prove the bound: so many for each sample, and at least this many. As a rule
// far fewer are.
constexpr std::size_t questionsPerSample = 3;
constexpr std::size_t leastQuestions = 400000;

// A point that stands for a share of its surface's area; the weights of a surface add up to 1.
struct SurfaceSample {
    float distance;  // signed
    float weight;
};

// The least number of points of a part, for a mean of its own; fewer if the parts are so many that all of these exceed
// the second number.
constexpr double leastPointsOfPart = 256, leastPointsOfAll = 1e6;

// Far places nearer to each other than that share of the source's diagonal are one.
constexpr double farPlacesApart = 0.05;
constexpr std::size_t mostFarPlaces = 20;

// Of those that are farther off than is allowed, those nearer to each other than so many times that are one.
constexpr double tooFarApart = 6;
constexpr std::size_t mostTooFar = 64;

struct Far {
    double distance = -1;
    Vec3d place = Vec3d::Zero();
    bool isVertex = false;
    std::uint32_t id = 0;  // of the vertex, or of the triangle that it lies on
};

struct Measured {
    std::vector<float> vertices;          // the signed distance of each
    std::vector<std::uint8_t> isSurface;  // whether each vertex is a corner of a triangle that has an area
    std::vector<SurfaceSample> points;
    std::vector<TriangleId> closest;        // of each vertex
    std::vector<std::uint32_t> firstPoint;  // of each triangle, and the number of all
    std::vector<Far> far;                   // the farthest place of each run of vertices or triangles
    double max = 0;
    Vec3d worstPlace = Vec3d::Zero();
};

Vec3d cornerOf(const Mesh& mesh, TriangleId t, std::size_t i) {
    return mesh.positions[mesh.triangles[t][i]].cast<double>();
}

// The points on each triangle, and the share of the surface's area that a point of each part represents.
struct Spread {
    std::vector<std::uint32_t> first;  // number of points on the triangles before
    std::vector<double> weightOfPart;
    std::uint32_t count = 0;
};

// A pseudo-random number from 0 to 1 for each index.
double scatter(std::uint64_t index) {
    return double(mixBits(index + 1) >> 32) / 4294967296.0;
}

// Stratified by area: point i of a part lies anywhere in the part's i-th slice of equal area. Its place within the
// slice is scattered, since a fixed one would fall on the same triangle of each quad of a regular grid.
Spread spreadPoints(const Mesh& mesh, const std::vector<double>& areas, std::size_t wanted) {
    Spread spread;
    spread.first.resize(areas.size() + 1, 0);
    std::vector<double> areaOfPart(mesh.parts.size(), 0.0);
    double all = 0;
    for (const Section& section : mesh.sections)
        for (std::size_t t = section.firstTriangle; t < section.firstTriangle + section.triangleCount; ++t)
            areaOfPart[section.part] += areas[t];
    for (const double area : areaOfPart) all += area;
    spread.weightOfPart.resize(mesh.parts.size(), 0.0);
    std::vector<double> pointsPerArea(mesh.parts.size(), 0.0), before(mesh.parts.size(), 0.0);
    const double least = std::min(leastPointsOfPart, leastPointsOfAll / double(areaOfPart.size()));
    for (std::size_t p = 0; p < areaOfPart.size(); ++p) {
        if (!(areaOfPart[p] > 0)) continue;
        const double points = std::ceil(std::max(double(wanted) * areaOfPart[p] / all, least));
        pointsPerArea[p] = points / areaOfPart[p];
        spread.weightOfPart[p] = areaOfPart[p] / all / points;
    }
    // The number of points in the first slices of a part; the last slice may be a fraction.
    const auto pointsIn = [](double slices) {
        const double whole = std::floor(slices);
        return std::uint32_t(whole) + (scatter(std::uint32_t(whole)) < slices - whole ? 1u : 0u);
    };
    for (const Section& section : mesh.sections)
        for (std::size_t t = section.firstTriangle; t < section.firstTriangle + section.triangleCount; ++t) {
            const double from = before[section.part], to = from + areas[t] * pointsPerArea[section.part];
            before[section.part] = to;
            spread.count += pointsIn(to) - pointsIn(from);
            spread.first[t + 1] = spread.count;
        }
    return spread;
}

// Evenly scattered barycentric coordinates: the R2 sequence, folded into the triangle.
// Source: Roberts 2018, "The unreasonable effectiveness of quasirandom sequences".
Vec3d pointOn(const Mesh& mesh, TriangleId t, std::uint32_t number) {
    double u = 0.5 + 0.7548776662466927 * double(number);
    double v = 0.5 + 0.5698402909980532 * double(number);
    u -= std::floor(u);
    v -= std::floor(v);
    if (u + v > 1) {
        u = 1 - u;
        v = 1 - v;
    }
    const Vec3d a = cornerOf(mesh, t, 0);
    return a + u * (cornerOf(mesh, t, 1) - a) + v * (cornerOf(mesh, t, 2) - a);
}

// A point on a triangle.
struct PointOn {
    TriangleId triangle;
    std::uint32_t number;
};

// The farthest sample of each run of them.
// @param distanceOf  called as distanceOf(i): how far sample i is off; below 0 for one that does not count
// @param placeOf     called as placeOf(i): where sample i lies
template <class DistanceOf, class PlaceOf>
std::vector<Far> farthestOfRuns(std::size_t count, const DistanceOf& distanceOf, const PlaceOf& placeOf) {
    constexpr std::size_t samplesInRun = 4096;
    std::vector<Far> result(chunkCount(count, samplesInRun));
    parallelChunks(count, samplesInRun, [&](std::size_t run, std::size_t begin, std::size_t end) {
        std::size_t farthest = begin;
        for (std::size_t i = begin; i < end; ++i)
            if (distanceOf(i) > distanceOf(farthest)) farthest = i;
        result[run] = placeOf(farthest);
        result[run].distance = double(distanceOf(farthest));
    });
    return result;
}

// One surface on its way to the other: distances are signed so that + means that the level is outside the source.
class Measurer {
public:
    Measurer(const ClosestPointFinder& own, const ClosestPointFinder& to, bool fromIsSource, std::size_t wantedPoints,
             const Progress& progress)
        : m_own(own),
          m_from(own.mesh()),
          m_to(to),
          m_fromIsSource(fromIsSource),
          m_wantedPoints(wantedPoints),
          m_progress(progress) {}

    Measured run();

private:
    void spreadOut();
    double sideAtVertex(VertexId v, const Vec3d& towards) const;
    void measureVertices(const std::vector<VertexId>& order, const Progress& progress);
    std::vector<PointOn> pointsInOrder() const;
    void measurePoints(const Progress& progress);
    Vec3d placeOf(const PointOn& point) const { return pointOn(m_from, point.triangle, point.number); }
    Vec3d placeOf(VertexId v) const { return m_from.positions[v].cast<double>(); }

    const ClosestPointFinder& m_own;
    const Mesh& m_from;
    const ClosestPointFinder& m_to;
    bool m_fromIsSource;
    std::size_t m_wantedPoints;
    const Progress& m_progress;
    RawVector<Vec3f> m_normals;  // of the triangles, as long as twice their area
    Spread m_spread;
    Measured m_result;
};

void Measurer::spreadOut() {
    const std::size_t count = m_from.triangleCount();
    std::vector<double> areas(count);
    m_normals = RawVector<Vec3f>(count);
    parallelFor(count, [&](std::size_t i) {
        const auto t = TriangleId(i);
        const Vec3d normal = areaNormal(cornerOf(m_from, t, 0), cornerOf(m_from, t, 1), cornerOf(m_from, t, 2));
        areas[i] = normal.norm() / 2;
        m_normals[i] = normal.cast<float>();
    });
    m_spread = spreadPoints(m_from, areas, m_wantedPoints);
}

// The side of the source's vertex v on which its closest place on the level lies: + is outwards. Where all triangles
// around agree, as nearly everywhere, there is no need for the vertex's own normal.
double Measurer::sideAtVertex(VertexId v, const Vec3d& towards) const {
    std::size_t inside = 0;
    const std::span<const TriangleId> around = m_own.around().of(v);
    for (const TriangleId t : around) inside += m_normals[t].cast<double>().dot(towards) < 0 ? 1 : 0;
    if (inside == 0 || inside == around.size()) return inside > 0 ? -1 : 1;
    return towards.dot(vertexNormal(m_from, m_own.around(), v)) < 0 ? -1 : 1;
}

void Measurer::measureVertices(const std::vector<VertexId>& order, const Progress& progress) {
    const VertexTriangles& around = m_own.around();
    m_result.vertices.resize(order.size());
    m_result.isSurface.resize(order.size());
    m_result.closest.resize(order.size());
    findClosestOfMany(
        m_to, order.size(), [&](std::size_t i) { return placeOf(order[i]); },
        [&](std::size_t i, const Vec3d& place, const SurfacePoint& closest) {
            const VertexId v = order[i];
            const double side = m_fromIsSource ? sideAtVertex(v, closest.place - place) : m_to.sideOf(place, closest);
            const std::span<const TriangleId> triangles = around.of(v);
            m_result.isSurface[v] =
                std::any_of(triangles.begin(), triangles.end(), [&](TriangleId t) { return !m_normals[t].isZero(0); });
            m_result.closest[v] = closest.triangle;
            m_result.vertices[v] = float(side * closest.distance);
        },
        progress);
    m_result.far = farthestOfRuns(
        order.size(), [&](std::size_t i) { return m_result.isSurface[i] ? std::abs(m_result.vertices[i]) : -1.0f; },
        [&](std::size_t i) {
            return Far{0, placeOf(VertexId(i)), true, VertexId(i)};
        });
}

// All points on the triangles, neighbours together.
std::vector<PointOn> Measurer::pointsInOrder() const {
    // The triangles stand together; what lies on each of them does not.
    const std::vector<TriangleId>& triangles = m_own.triangleOrder();
    std::vector<std::uint32_t> before(triangles.size());
    parallelFor(triangles.size(),
                [&](std::size_t i) { before[i] = m_spread.first[triangles[i] + 1] - m_spread.first[triangles[i]]; });
    exclusivePrefixSum(before);
    std::vector<PointOn> points(m_spread.count);
    constexpr std::size_t chunkSize = 4096;
    parallelChunks(points.size(), chunkSize, [&](std::size_t, std::size_t begin, std::size_t end) {
        std::vector<PointOn> here;
        std::vector<Placed> order;
        auto at = std::size_t(std::upper_bound(before.begin(), before.end(), begin) - before.begin()) - 1;
        for (std::size_t i = begin; i < end; ++i) {
            while (at + 1 < before.size() && i >= before[at + 1]) ++at;
            const PointOn point{triangles[at], std::uint32_t(m_spread.first[triangles[at]] + (i - before[at]))};
            const Vec3f place = placeOf(point).cast<float>();
            order.push_back({{place[0], place[1], place[2]}, std::uint32_t(here.size())});
            here.push_back(point);
        }
        orderByPlace(order, m_progress);
        for (std::size_t i = 0; i < order.size(); ++i) points[begin + i] = here[order[i].id];
    });
    return points;
}

void Measurer::measurePoints(const Progress& progress) {
    if (m_spread.count == 0) return;
    const std::vector<PointOn> points = pointsInOrder();
    m_result.points.resize(points.size());
    std::vector<float> weightOf(m_from.triangleCount());
    for (const Section& section : m_from.sections)
        std::fill_n(weightOf.begin() + long(section.firstTriangle), section.triangleCount,
                    float(m_spread.weightOfPart[section.part]));
    findClosestOfMany(
        m_to, points.size(), [&](std::size_t i) { return placeOf(points[i]); },
        [&](std::size_t i, const Vec3d& place, const SurfacePoint& closest) {
            const auto [t, number] = points[i];
            const bool isInside = m_normals[t].cast<double>().dot(closest.place - place) < 0;
            const double side = !m_fromIsSource ? m_to.sideOf(place, closest) : isInside ? -1 : 1;
            m_result.points[number] = {float(side * closest.distance), weightOf[t]};
        },
        progress);
    const std::vector<Far> far = farthestOfRuns(
        m_result.points.size(), [&](std::size_t i) { return std::abs(m_result.points[i].distance); },
        [&](std::size_t i) {
            const auto behind = std::upper_bound(m_spread.first.begin(), m_spread.first.end(), i);
            const auto t = TriangleId(behind - m_spread.first.begin() - 1);
            return Far{0, pointOn(m_from, t, std::uint32_t(i)), false, t};
        });
    m_result.far.insert(m_result.far.end(), far.begin(), far.end());
}

Measured Measurer::run() {
    std::vector<VertexId> order;
    tbb::parallel_invoke([&] { order = m_own.vertexOrder(); }, [&] { spreadOut(); });
    const double share = double(m_from.vertexCount()) / double(m_from.vertexCount() + m_spread.count);
    measureVertices(order, m_progress.span(0, share));
    measurePoints(m_progress.span(share, 1));
    for (const Far& far : m_result.far)
        if (far.distance > m_result.max) {
            m_result.max = far.distance;
            m_result.worstPlace = far.place;
        }
    m_result.firstPoint = std::move(m_spread.first);
    return std::move(m_result);
}

// Proves how far a surface is off at most, and takes in the farthest place that was met on the way.
double bound(const Mesh& from, const ClosestPointFinder& to, Measured& measured, double maxOfOther, double allowed,
             std::size_t questions, const Progress& progress) {
    std::vector<float> distances(measured.vertices.size());
    for (std::size_t v = 0; v < distances.size(); ++v) distances[v] = std::abs(measured.vertices[v]);
    const DistanceBound proven = boundDistance(
        from, to, {distances, measured.closest, std::max(measured.max, maxOfOther), questions, allowed}, progress);
    const auto& [distance, place, triangle] = proven.farthest;
    if (distance > measured.max) {
        measured.max = distance;
        measured.worstPlace = place;
        measured.far.push_back({distance, place, false, triangle});
    }
    for (const FarPoint& far : proven.tooFar) measured.far.push_back({far.distance, far.place, false, far.triangle});
    return proven.bound;
}

OneSidedDeviation summarise(const Measured& measured) {
    OneSidedDeviation result;
    result.max = measured.max;
    result.worstPlace = measured.worstPlace;
    Distribution own(measured.max);
    double sum = 0, squares = 0, weights = 0;
    for (const SurfaceSample& sample : measured.points) {
        const double d = double(sample.distance), w = double(sample.weight);
        sum += w * std::abs(d);
        squares += w * d * d;
        weights += w;
        own.add(d, w);
    }
    result.mean = weights > 0 ? sum / weights : 0;
    result.rms = weights > 0 ? std::sqrt(squares / weights) : 0;
    result.p95 = own.absolutePercentile(0.95);
    result.p99 = own.absolutePercentile(0.99);
    return result;
}

// What takes both directions together, each counting half.
void summariseBoth(const std::array<const Measured*, 2>& sides, Deviation& result) {
    result.distribution = Distribution(result.max);
    for (const Measured* side : sides)
        for (const SurfaceSample& sample : side->points) {
            const double d = double(sample.distance), w = double(sample.weight) / 2;
            result.distribution.add(d, w);
            result.meanSigned += d * w;
        }
    result.p95 = result.distribution.absolutePercentile(0.95);
    result.p99 = result.distribution.absolutePercentile(0.99);
}

// Sums over one part of one surface.
struct PartSum {
    double max = 0, sum = 0, squares = 0, weights = 0;
};

std::vector<PartSum> sumParts(const Mesh& mesh, const Measured& measured) {
    std::vector<PartSum> sums(mesh.parts.size());
    for (const Section& section : mesh.sections) {
        PartSum& part = sums[section.part];
        for (std::size_t t = section.firstTriangle; t < section.firstTriangle + section.triangleCount; ++t) {
            for (const VertexId v : mesh.triangles[t])
                if (measured.isSurface[v]) part.max = std::max(part.max, std::abs(double(measured.vertices[v])));
            for (std::uint32_t i = measured.firstPoint[t]; i < measured.firstPoint[t + 1]; ++i) {
                const double distance = std::abs(double(measured.points[i].distance)),
                             weight = double(measured.points[i].weight);
                part.max = std::max(part.max, distance);
                part.sum += weight * distance;
                part.squares += weight * distance * distance;
                part.weights += weight;
            }
        }
        // What was met while the bound was proven is none of those.
        for (const Far& far : measured.far)
            if (!far.isVertex && far.id - section.firstTriangle < section.triangleCount)
                part.max = std::max(part.max, far.distance);
    }
    return sums;
}

std::vector<PartDeviation> deviationByPart(const Mesh& source, const Measured& fromSource, const Mesh& level,
                                           const Measured& fromLevel) {
    const std::vector<PartSum> ofSource = sumParts(source, fromSource), ofLevel = sumParts(level, fromLevel);
    std::vector<PartDeviation> result(source.parts.size());
    // A level made from the source has its list of parts, in which names may come twice.
    const auto isName = [](const Part& a, const Part& b) { return a.name == b.name; };
    const bool isSameList =
        std::equal(source.parts.begin(), source.parts.end(), level.parts.begin(), level.parts.end(), isName);
    for (std::size_t p = 0; p < result.size(); ++p) {
        std::vector<const PartSum*> sides = {&ofSource[p]};
        for (std::size_t q = 0; q < ofLevel.size(); ++q)
            if (isSameList ? p == q : isName(level.parts[q], source.parts[p])) sides.push_back(&ofLevel[q]);
        std::erase_if(sides, [](const PartSum* side) { return !(side->weights > 0); });
        double squares = 0;
        for (const PartSum* side : sides) {
            result[p].max = std::max(result[p].max, side->max);
            result[p].mean += side->sum / side->weights / double(sides.size());
            squares += side->squares / side->weights / double(sides.size());
        }
        result[p].rms = std::sqrt(squares);
    }
    return result;
}

// The farthest place of each cell of a grid, and of those the farthest that lie apart.
std::vector<FarPlace> farPlacesOf(const ClosestPointFinder& onSource, const Measured& fromSource,
                                  const ClosestPointFinder& onLevel, const Measured& fromLevel, double max,
                                  double allowed) {
    const Mesh &source = onSource.mesh(), &level = onLevel.mesh();
    const bool isTooFar = allowed > 0 && max > allowed;
    const std::size_t most = isTooFar ? mostTooFar : mostFarPlaces;
    const double apart = isTooFar ? tooFarApart * allowed : farPlacesApart * diagonal(source);
    using Candidate = std::pair<Far, bool>;  // and whether it is on the source
    std::map<std::array<long, 3>, Candidate> cells;
    const auto offer = [&](const Far& far, bool isOnSource) {
        std::array<long, 3> cell{};
        for (int axis = 0; axis < 3; ++axis)
            cell[std::size_t(axis)] = apart > 0 ? std::lround(std::floor(far.place[axis] / apart)) : 0;
        Candidate& best = cells[cell];
        if (far.distance > best.first.distance) best = {far, isOnSource};
    };
    const auto offerAll = [&](const Mesh& mesh, const Measured& measured, bool isOnSource) {
        // What is off by less than a third of the worst is no place to go to.
        const double least = std::max(max / 3, std::numeric_limits<double>::min());
        for (std::size_t v = 0; v < measured.vertices.size(); ++v) {
            const double distance = std::abs(double(measured.vertices[v]));
            if (distance >= least && measured.isSurface[v])
                offer({distance, mesh.positions[v].cast<double>(), true, std::uint32_t(v)}, isOnSource);
        }
        for (const Far& far : measured.far)
            if (far.distance >= least) offer(far, isOnSource);
    };
    offerAll(source, fromSource, true);
    offerAll(level, fromLevel, false);
    std::vector<Candidate> sorted;
    for (const auto& entry : cells) sorted.push_back(entry.second);
    std::stable_sort(sorted.begin(), sorted.end(),
                     [](const Candidate& a, const Candidate& b) { return a.first.distance > b.first.distance; });
    std::vector<FarPlace> result;
    for (const auto& [far, isOnSource] : sorted) {
        if (result.size() == most) break;
        const bool isNew = std::all_of(result.begin(), result.end(),
                                       [&](const FarPlace& other) { return (other.place - far.place).norm() > apart; });
        if (!isNew) continue;
        const Mesh& mesh = isOnSource ? source : level;
        const auto own = [&](TriangleId t) {
            return areaNormal(cornerOf(mesh, t, 0), cornerOf(mesh, t, 1), cornerOf(mesh, t, 2));
        };
        const auto triangles = far.isVertex ? (isOnSource ? onSource : onLevel).around().of(far.id)
                                            : std::span<const TriangleId>(&far.id, 1);
        Vec3d normal = Vec3d::Zero();
        for (const TriangleId t : triangles) normal += own(t);
        result.push_back({far.place, normal.normalized(), far.distance, isOnSource, triangles.front()});
    }
    return result;
}

}  // namespace

Deviation measureDeviation(const Mesh& source, const Mesh& level, const DeviationSettings& settings,
                           const Progress& progress) {
    return measureDeviation(DeviationSource(source, progress.span(0, 0.2)), level, settings, progress.span(0.2, 1));
}

Deviation measureDeviation(const DeviationSource& prepared, const Mesh& level, const DeviationSettings& settings,
                           const Progress& progress) {
    const Mesh& source = prepared.mesh;
    const ClosestPointFinder& onSourceSurface = prepared.surface;
    const std::size_t samples =
        settings.samples > 0 ? settings.samples : std::clamp<std::size_t>(source.triangleCount() / 4, 50000, 1000000);
    Deviation result;
    const ClosestPointFinder onLevel(level, progress.span(0, 0.02));
    Measured fromSource = Measurer(onSourceSurface, onLevel, true, samples, progress.span(0.02, 0.45)).run();
    Measured fromLevel = Measurer(onLevel, onSourceSurface, false, samples, progress.span(0.45, 0.85)).run();

    if (settings.proven) {
        const std::size_t questions = std::max(leastQuestions, questionsPerSample * samples);
        // What one side meets need not be proven away on the other.
        const double fromHere =
            bound(source, onLevel, fromSource, fromLevel.max, settings.allowed, questions, progress);
        result.maxBound = std::max(
            fromHere, bound(level, onSourceSurface, fromLevel, fromSource.max, settings.allowed, questions, progress));
    }
    progress.at(0.95);
    result.max = std::max(fromSource.max, fromLevel.max);
    result.maxBound = std::max(result.maxBound, result.max);
    result.worstPlace = fromSource.max >= fromLevel.max ? fromSource.worstPlace : fromLevel.worstPlace;
    tbb::parallel_invoke(
        [&] { result.sourceToLevel = summarise(fromSource); }, [&] { result.levelToSource = summarise(fromLevel); },
        [&] {
            summariseBoth({&fromSource, &fromLevel}, result);
        },
        [&] { result.byPart = deviationByPart(source, fromSource, level, fromLevel); },
        [&] {
            result.farPlaces =
                farPlacesOf(onSourceSurface, fromSource, onLevel, fromLevel, result.max, settings.allowed);
        },
        [&] {
            result.atLevelVertex = fromLevel.vertices;
            result.atSourceVertex = fromSource.vertices;
        });
    result.mean = (result.sourceToLevel.mean + result.levelToSource.mean) / 2;
    const double squares =
        result.sourceToLevel.rms * result.sourceToLevel.rms + result.levelToSource.rms * result.levelToSource.rms;
    result.rms = std::sqrt(squares / 2);
    progress.at(1);
    return result;
}

}  // namespace um
