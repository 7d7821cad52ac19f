#include "measure/Deviation.h"

#include "base/Parallel.h"
#include "measure/ClosestPoint.h"

#include <atomic>
#include <cmath>

namespace um {
namespace {

struct Sample {
    float distance;  // signed
    float weight;    // its share of the area; the weights of a surface add up to 1
};

struct Measured {
    std::vector<Sample> vertices;  // one for each
    std::vector<Sample> points;
    std::vector<TriangleId> closest;  // of each vertex
    double max = 0;
    Vec3d worstPlace = Vec3d::Zero();
};

Vec3d cornerOf(const Mesh& mesh, TriangleId t, std::size_t i) {
    return mesh.positions[mesh.triangles[t][i]].cast<double>();
}

double areaOf(const Mesh& mesh, std::size_t t) {
    const auto id = TriangleId(t);
    return areaNormal(cornerOf(mesh, id, 0), cornerOf(mesh, id, 1), cornerOf(mesh, id, 2)).norm() / 2;
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
    parallelFor(mesh.triangleCount(), [&](std::size_t t) { spread.areas[t] = areaOf(mesh, t); });
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

// Signed so that + means: the level is outside the source. `flip` is -1 where the samples lie on the source.
double signedDistance(const ClosestPointFinder& to, const Vec3d& p, const SurfacePoint& closest,
                      const Vec3d* ownNormal) {
    if (ownNormal == nullptr) return closest.distance * to.sideOf(p, closest);
    return (closest.place - p).dot(*ownNormal) < 0 ? -closest.distance : closest.distance;
}

Measured measure(const Mesh& from, const ClosestPointFinder& to, bool fromIsSource, std::size_t wantedPoints,
                 const Progress& progress) {
    Measured result;
    const Spread spread = spreadPoints(from, wantedPoints);
    const VertexTriangles around = findVertexTriangles(from.triangles, from.vertexCount());
    const std::vector<Vec3f> normals = fromIsSource ? vertexNormals(from, around) : std::vector<Vec3f>();
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
    struct Worst {
        double distance = -1;
        Vec3d place = Vec3d::Zero();
    };
    std::vector<Worst> worstVertex(chunkCount(from.vertexCount(), chunkSize));
    parallelChunks(from.vertexCount(), chunkSize, [&](std::size_t chunk, std::size_t begin, std::size_t end) {
        TriangleId hint = 0;
        for (std::size_t v = begin; v < end; ++v) {
            const Vec3d p = from.positions[v].cast<double>();
            const SurfacePoint closest = to.find(p, hint);
            hint = closest.triangle;
            const Vec3d normal = fromIsSource ? Vec3d(normals[v].cast<double>()) : Vec3d(Vec3d::Zero());
            double weight = 0;
            for (const TriangleId t : around.of(VertexId(v))) weight += shareOf(t);
            result.closest[v] = hint;
            result.vertices[v] = {float(signedDistance(to, p, closest, fromIsSource ? &normal : nullptr)),
                                  float(weight)};
            // A vertex that no triangle uses is no part of the surface.
            if (weight > 0 && closest.distance > worstVertex[chunk].distance)
                worstVertex[chunk] = {closest.distance, p};
        }
        progress.at(double(done += end - begin) / all);
    });
    std::vector<Worst> worstPoint(chunkCount(from.triangleCount(), chunkSize));
    parallelChunks(from.triangleCount(), chunkSize, [&](std::size_t chunk, std::size_t begin, std::size_t end) {
        for (std::size_t t = begin; t < end; ++t) {
            const std::uint32_t first = spread.first[t];
            const std::uint32_t last = spread.first[t + 1];
            if (first == last) continue;
            const auto id = TriangleId(t);
            TriangleId hint = result.closest[from.triangles[t][0]];
            const Vec3d normal = areaNormal(cornerOf(from, id, 0), cornerOf(from, id, 1), cornerOf(from, id, 2));
            for (std::uint32_t i = first; i < last; ++i) {
                const Vec3d p = pointOn(from, id, i);
                const SurfacePoint closest = to.find(p, hint);
                hint = closest.triangle;
                result.points[i] = {float(signedDistance(to, p, closest, fromIsSource ? &normal : nullptr)),
                                    float(shareOf(id))};
                if (closest.distance > worstPoint[chunk].distance) worstPoint[chunk] = {closest.distance, p};
            }
        }
        progress.at(double(done += spread.first[end] - spread.first[begin]) / all);
    });
    for (const std::vector<Worst>* list : {&worstVertex, &worstPoint})
        for (const Worst& worst : *list)
            if (worst.distance > result.max) {
                result.max = worst.distance;
                result.worstPlace = worst.place;
            }
    return result;
}

OneSidedDeviation summarise(const Measured& measured, Distribution& both) {
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
            both.add(d, w / 2);
        }
    result.mean = weights > 0 ? sum / weights : 0;
    result.rms = weights > 0 ? std::sqrt(squares / weights) : 0;
    result.p95 = own.absolutePercentile(0.95);
    result.p99 = own.absolutePercentile(0.99);
    return result;
}

// A piece of a measured triangle, with what is known at its corners.
struct Piece {
    std::array<Vec3d, 3> corners;
    std::array<double, 3> distances;
    std::array<TriangleId, 3> closest;
    double bound = 0;  // no point of the piece is farther than this from the other surface
};

double boundOf(const Piece& piece, const ClosestPointFinder& to, double enough) {
    double longest = 0;
    for (std::size_t i = 0; i < 3; ++i)
        longest = std::max(longest, (piece.corners[(i + 1) % 3] - piece.corners[i]).norm());
    const double worst = std::max({piece.distances[0], piece.distances[1], piece.distances[2]});
    // Every point lies within longest / sqrt(3) of a corner.
    double bound = worst + longest / std::sqrt(3.0);
    if (bound <= enough) return bound;
    // The distance to one triangle is convex, so over the piece it is largest at a corner.
    for (std::size_t i = 0; i < 3; ++i) {
        double largest = 0;
        for (const Vec3d& corner : piece.corners) largest = std::max(largest, to.distanceTo(corner, piece.closest[i]));
        bound = std::min(bound, largest);
    }
    return bound;
}

// Cuts the pieces whose bound is too high into four, again and again, until all are low enough or the questions used
// up.
double boundDeviation(const Mesh& from, const ClosestPointFinder& to, const Measured& measured, double sampledMax,
                      const Progress& progress) {
    constexpr double accuracy = 0.02;
    const double enough = sampledMax * (1 + accuracy) + 1e-7 * diagonal(from);
    std::vector<std::vector<Piece>> found(chunkCount(from.triangleCount(), 4096));
    parallelChunks(from.triangleCount(), 4096, [&](std::size_t chunk, std::size_t begin, std::size_t end) {
        for (std::size_t t = begin; t < end; ++t) {
            Piece piece;
            for (std::size_t i = 0; i < 3; ++i) {
                const VertexId v = from.triangles[t][i];
                piece.corners[i] = from.positions[v].cast<double>();
                piece.distances[i] = std::abs(double(measured.vertices[v].distance));
                piece.closest[i] = measured.closest[v];
            }
            piece.bound = boundOf(piece, to, enough);
            if (piece.bound > enough) found[chunk].push_back(piece);
        }
    });
    std::vector<Piece> open;
    for (const auto& chunk : found) open.insert(open.end(), chunk.begin(), chunk.end());
    double settled = sampledMax;
    // As many questions again as the measuring itself took, at most: enough to come within the accuracy as a rule.
    std::size_t questions = std::max<std::size_t>(400000, measured.vertices.size() + measured.points.size());
    while (!open.empty()) {
        progress.check();
        // Three questions cut one piece; when they run out, the worst pieces go first and the others stay as they are.
        std::sort(open.begin(), open.end(), [](const Piece& a, const Piece& b) { return a.bound > b.bound; });
        const std::size_t cut = std::min(open.size(), questions / 3);
        if (cut == 0) break;
        questions -= 3 * cut;
        std::vector<std::array<Piece, 4>> parts(cut);
        parallelFor(
            cut,
            [&](std::size_t p) {
                const Piece& whole = open[p];
                Piece middle;
                for (std::size_t i = 0; i < 3; ++i) {
                    middle.corners[i] = (whole.corners[i] + whole.corners[(i + 1) % 3]) / 2;
                    const SurfacePoint closest = to.find(middle.corners[i], whole.closest[i]);
                    middle.distances[i] = closest.distance;
                    middle.closest[i] = closest.triangle;
                }
                for (std::size_t i = 0; i < 3; ++i) {
                    const std::size_t last = (i + 2) % 3;
                    parts[p][i] = {{whole.corners[i], middle.corners[i], middle.corners[last]},
                                   {whole.distances[i], middle.distances[i], middle.distances[last]},
                                   {whole.closest[i], middle.closest[i], middle.closest[last]},
                                   0};
                }
                parts[p][3] = middle;
                for (Piece& part : parts[p]) part.bound = std::min(whole.bound, boundOf(part, to, enough));
            },
            64);
        std::vector<Piece> next(open.begin() + long(cut), open.end());
        for (const auto& four : parts)
            for (const Piece& part : four) {
                if (part.bound > enough)
                    next.push_back(part);
                else
                    settled = std::max(settled, part.bound);
            }
        open = std::move(next);
    }
    for (const Piece& piece : open) settled = std::max(settled, piece.bound);
    // Triangles below `enough` from the start were not looked at one by one.
    return std::max(settled, enough);
}

}  // namespace

Deviation measureDeviation(const Mesh& source, const Mesh& level, const DeviationSettings& settings,
                           const Progress& progress) {
    const std::size_t samples =
        settings.samples > 0 ? settings.samples : std::clamp<std::size_t>(source.triangleCount() / 2, 50000, 4000000);
    Deviation result;
    const ClosestPointFinder onLevel(level, progress.span(0, 0.02));
    // The source's vertices alone are often as many as the points asked for.
    const std::size_t onSource = samples > source.vertexCount() ? samples - source.vertexCount() : 0;
    const Measured fromSource = measure(source, onLevel, true, onSource, progress.span(0.02, 0.3));
    const ClosestPointFinder onSourceSurface(source, progress.span(0.3, 0.5));
    const std::size_t onLevelCount = samples > level.vertexCount() ? samples - level.vertexCount() : 0;
    const Measured fromLevel = measure(level, onSourceSurface, false, onLevelCount, progress.span(0.5, 0.85));

    result.max = std::max(fromSource.max, fromLevel.max);
    result.worstPlace = fromSource.max >= fromLevel.max ? fromSource.worstPlace : fromLevel.worstPlace;
    result.distribution = Distribution(result.max);
    result.sourceToLevel = summarise(fromSource, result.distribution);
    result.levelToSource = summarise(fromLevel, result.distribution);
    result.mean = (result.sourceToLevel.mean + result.levelToSource.mean) / 2;
    const double squares =
        result.sourceToLevel.rms * result.sourceToLevel.rms + result.levelToSource.rms * result.levelToSource.rms;
    result.rms = std::sqrt(squares / 2);
    result.p95 = result.distribution.absolutePercentile(0.95);
    result.p99 = result.distribution.absolutePercentile(0.99);
    for (const Measured* side : {&fromSource, &fromLevel})
        for (const std::vector<Sample>* list : {&side->vertices, &side->points})
            for (const Sample& sample : *list) result.meanSigned += double(sample.distance) * double(sample.weight) / 2;
    result.atLevelVertex.resize(level.vertexCount());
    for (std::size_t v = 0; v < level.vertexCount(); ++v) result.atLevelVertex[v] = fromLevel.vertices[v].distance;
    progress.at(0.9);
    result.maxBound = std::max(boundDeviation(source, onLevel, fromSource, result.max, progress),
                               boundDeviation(level, onSourceSurface, fromLevel, result.max, progress));
    progress.at(1);
    return result;
}

}  // namespace um
