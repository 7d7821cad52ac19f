#include "measure/Deviation.h"

#include "base/Parallel.h"
#include "measure/ClosestPoint.h"
#include "measure/DistanceBound.h"

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

struct Sample {
    float distance;  // signed
    float weight;    // its share of the area; the weights of a surface add up to 1
};

// Far places nearer to each other than that share of the source's diagonal are one.
constexpr double farPlacesApart = 0.05;
constexpr std::size_t mostFarPlaces = 20;

struct Far {
    double distance = -1;
    Vec3d place = Vec3d::Zero();
    bool isVertex = false;
    std::uint32_t id = 0;  // of the vertex, or of the triangle that it lies on
};

struct Measured {
    std::vector<Sample> vertices;  // one for each
    std::vector<Sample> points;
    std::vector<TriangleId> closest;        // of each vertex
    std::vector<std::uint32_t> firstPoint;  // of each triangle, and the number of all
    std::vector<float> share;               // of the area, of each corner of a triangle and each point on it
    std::vector<Far> far;                   // the farthest place of each run of vertices or triangles
    double max = 0;
    Vec3d worstPlace = Vec3d::Zero();
};

Vec3d cornerOf(const Mesh& mesh, TriangleId t, std::size_t i) {
    return mesh.positions[mesh.triangles[t][i]].cast<double>();
}

// How many of `wanted` points fall on each triangle: its share of the area, rounded so that the running total fits.
struct Spread {
    std::vector<double> areas;
    std::vector<std::uint32_t> first;  // number of points on the triangles before
    double area = 0;
    std::uint32_t count = 0;
};

Spread spreadPoints(const Mesh& mesh, std::size_t wanted) {
    Spread spread;
    spread.areas.resize(mesh.triangleCount());
    parallelFor(mesh.triangleCount(), [&](std::size_t t) { spread.areas[t] = triangleArea(mesh, TriangleId(t)); });
    for (const double area : spread.areas) spread.area += area;
    spread.first.resize(mesh.triangleCount() + 1, 0);
    double before = 0;
    for (std::size_t t = 0; t < mesh.triangleCount(); ++t) {
        before += spread.areas[t];
        spread.first[t + 1] = spread.area > 0 ? std::uint32_t(before / spread.area * double(wanted)) : 0;
    }
    spread.count = spread.first.back();
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

// The side of the source's vertex v on which its closest place on the level lies: + is outwards. Where all triangles
// around agree, as nearly everywhere, there is no need for the vertex's own normal.
double sideAtVertex(const Mesh& source, const VertexTriangles& around, VertexId v, const Vec3d& towards) {
    bool isOutside = false, isInside = false;
    for (const TriangleId t : around.of(v)) {
        const bool isOut =
            areaNormal(cornerOf(source, t, 0), cornerOf(source, t, 1), cornerOf(source, t, 2)).dot(towards) >= 0;
        (isOut ? isOutside : isInside) = true;
    }
    if (!isOutside || !isInside) return isInside ? -1 : 1;
    return towards.dot(vertexNormal(source, around, v)) < 0 ? -1 : 1;
}

// Distances are signed so that + means: the level is outside the source.
Measured measure(const ClosestPointFinder& own, const ClosestPointFinder& to, bool fromIsSource,
                 std::size_t wantedPoints, const Progress& progress) {
    const Mesh& from = own.mesh();
    const VertexTriangles& around = own.around();
    Measured result;
    const Spread spread = spreadPoints(from, wantedPoints);
    result.vertices.resize(from.vertexCount());
    result.closest.resize(from.vertexCount());
    result.points.resize(spread.count);
    // A triangle's area is shared out evenly among its corners and the points on it.
    const auto shareOf = [&](TriangleId t) {
        return spread.areas[t] / spread.area / double(3 + spread.first[t + 1] - spread.first[t]);
    };
    const double all = double(from.vertexCount() + spread.count);
    std::atomic<std::size_t> done = 0;
    constexpr std::size_t chunkSize = 4096;
    std::vector<Far> worstVertex(chunkCount(from.vertexCount(), chunkSize));
    parallelChunks(from.vertexCount(), chunkSize, [&](std::size_t chunk, std::size_t begin, std::size_t end) {
        TriangleId hint = 0;
        for (std::size_t v = begin; v < end; ++v) {
            const Vec3d p = from.positions[v].cast<double>();
            const SurfacePoint closest = to.find(p, hint);
            hint = closest.triangle;
            const double side =
                fromIsSource ? sideAtVertex(from, around, VertexId(v), closest.place - p) : to.sideOf(p, closest);
            double weight = 0;
            for (const TriangleId t : around.of(VertexId(v))) weight += shareOf(t);
            result.closest[v] = hint;
            result.vertices[v] = {float(side * closest.distance), float(weight)};
            // A vertex that no triangle uses is no part of the surface.
            if (weight > 0 && closest.distance > worstVertex[chunk].distance)
                worstVertex[chunk] = {closest.distance, p, true, std::uint32_t(v)};
        }
        progress.at(double(done += end - begin) / all);
    });
    // By points, not by triangles: one of a coarse level may hold most of them.
    std::vector<Far> worstPoint(chunkCount(spread.count, chunkSize));
    parallelChunks(spread.count, chunkSize, [&](std::size_t chunk, std::size_t begin, std::size_t end) {
        std::size_t t =
            std::size_t(std::upper_bound(spread.first.begin(), spread.first.end(), begin) - spread.first.begin()) - 1;
        TriangleId hint = result.closest[from.triangles[t][0]];
        for (std::size_t i = begin; i < end; ++i) {
            if (i >= spread.first[t + 1]) {
                while (i >= spread.first[t + 1]) ++t;
                hint = result.closest[from.triangles[t][0]];
            }
            const auto id = TriangleId(t);
            const Vec3d p = pointOn(from, id, std::uint32_t(i));
            const SurfacePoint closest = to.find(p, hint);
            hint = closest.triangle;
            double side = 1;
            if (!fromIsSource)
                side = to.sideOf(p, closest);
            else if (areaNormal(cornerOf(from, id, 0), cornerOf(from, id, 1), cornerOf(from, id, 2))
                         .dot(closest.place - p) < 0)
                side = -1;
            result.points[i] = {float(side * closest.distance), float(shareOf(id))};
            if (closest.distance > worstPoint[chunk].distance) worstPoint[chunk] = {closest.distance, p, false, id};
        }
        progress.at(double(done += end - begin) / all);
    });
    result.far = std::move(worstVertex);
    result.far.insert(result.far.end(), worstPoint.begin(), worstPoint.end());
    for (const Far& far : result.far)
        if (far.distance > result.max) {
            result.max = far.distance;
            result.worstPlace = far.place;
        }
    result.share.resize(from.triangleCount());
    for (std::size_t t = 0; t < result.share.size(); ++t) result.share[t] = float(shareOf(TriangleId(t)));
    result.firstPoint = spread.first;
    return result;
}

// Proves how far a surface is off at most, and takes in the farthest place that was met on the way.
double bound(const Mesh& from, const ClosestPointFinder& to, Measured& measured, double maxOfOther,
             std::size_t questions, const Progress& progress) {
    std::vector<float> distances(measured.vertices.size());
    for (std::size_t v = 0; v < distances.size(); ++v) distances[v] = std::abs(measured.vertices[v].distance);
    const DistanceBound proven =
        boundDistance(from, to, {distances, measured.closest, std::max(measured.max, maxOfOther), questions}, progress);
    if (proven.farthest > measured.max) {
        measured.max = proven.farthest;
        measured.worstPlace = proven.place;
        measured.far.push_back({proven.farthest, proven.place, false, proven.triangle});
    }
    return proven.bound;
}

OneSidedDeviation summarise(const Measured& measured) {
    OneSidedDeviation result;
    result.max = measured.max;
    result.worstPlace = measured.worstPlace;
    Distribution own(measured.max);
    double sum = 0, squares = 0, weights = 0;
    for (const std::vector<Sample>* list : {&measured.vertices, &measured.points})
        for (const Sample& sample : *list) {
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
        for (const std::vector<Sample>* list : {&side->vertices, &side->points})
            for (const Sample& sample : *list) {
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
        const auto add = [&](double distance, double weight) {
            part.max = std::max(part.max, distance);
            part.sum += weight * distance;
            part.squares += weight * distance * distance;
            part.weights += weight;
        };
        for (std::size_t t = section.firstTriangle; t < section.firstTriangle + section.triangleCount; ++t) {
            const auto share = double(measured.share[t]);
            for (const VertexId v : mesh.triangles[t]) add(std::abs(double(measured.vertices[v].distance)), share);
            for (std::uint32_t i = measured.firstPoint[t]; i < measured.firstPoint[t + 1]; ++i)
                add(std::abs(double(measured.points[i].distance)), share);
        }
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
                                  const ClosestPointFinder& onLevel, const Measured& fromLevel, double max) {
    const Mesh &source = onSource.mesh(), &level = onLevel.mesh();
    const double apart = farPlacesApart * diagonal(source);
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
            const double distance = std::abs(double(measured.vertices[v].distance));
            if (distance >= least && measured.vertices[v].weight > 0)
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
        if (result.size() == mostFarPlaces) break;
        const bool isNew = std::all_of(result.begin(), result.end(),
                                       [&](const FarPlace& other) { return (other.place - far.place).norm() > apart; });
        if (!isNew) continue;
        const Mesh& mesh = isOnSource ? source : level;
        const auto own = [&](TriangleId t) {
            return areaNormal(cornerOf(mesh, t, 0), cornerOf(mesh, t, 1), cornerOf(mesh, t, 2));
        };
        Vec3d normal = Vec3d::Zero();
        if (far.isVertex)
            for (const TriangleId t : (isOnSource ? onSource : onLevel).around().of(far.id)) normal += own(t);
        else
            normal = own(far.id);
        result.push_back({far.place, normal.normalized(), far.distance, isOnSource});
    }
    return result;
}

std::vector<float> signedDistances(const Measured& measured) {
    std::vector<float> distances(measured.vertices.size());
    for (std::size_t v = 0; v < distances.size(); ++v) distances[v] = measured.vertices[v].distance;
    return distances;
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
        settings.samples > 0 ? settings.samples : std::clamp<std::size_t>(source.triangleCount() / 2, 50000, 4000000);
    Deviation result;
    const ClosestPointFinder onLevel(level, progress.span(0, 0.02));
    // The source's vertices alone are often as many as the points asked for.
    const std::size_t onSource = samples > source.vertexCount() ? samples - source.vertexCount() : 0;
    Measured fromSource = measure(onSourceSurface, onLevel, true, onSource, progress.span(0.02, 0.45));
    const std::size_t onLevelCount = samples > level.vertexCount() ? samples - level.vertexCount() : 0;
    Measured fromLevel = measure(onLevel, onSourceSurface, false, onLevelCount, progress.span(0.45, 0.85));

    if (settings.proven) {
        const std::size_t questions = std::max(leastQuestions, questionsPerSample * samples);
        // What one side meets need not be proven away on the other.
        const double fromHere = bound(source, onLevel, fromSource, fromLevel.max, questions, progress);
        result.maxBound =
            std::max(fromHere, bound(level, onSourceSurface, fromLevel, fromSource.max, questions, progress));
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
        [&] { result.farPlaces = farPlacesOf(onSourceSurface, fromSource, onLevel, fromLevel, result.max); },
        [&] {
            result.atLevelVertex = signedDistances(fromLevel);
            result.atSourceVertex = signedDistances(fromSource);
        });
    result.mean = (result.sourceToLevel.mean + result.levelToSource.mean) / 2;
    const double squares =
        result.sourceToLevel.rms * result.sourceToLevel.rms + result.levelToSource.rms * result.levelToSource.rms;
    result.rms = std::sqrt(squares / 2);
    progress.at(1);
    return result;
}

}  // namespace um
