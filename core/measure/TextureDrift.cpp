#include "measure/TextureDrift.h"

#include "base/Error.h"
#include "base/Parallel.h"
#include "base/TrianglePoint.h"
#include "measure/ClosestPoint.h"

#include <cmath>

namespace um {

namespace {

// Points of each triangle, as shares of its corners: the corners themselves, and between them and the centre.
constexpr std::array<TrianglePoint, 7> points = {
    {{0, 0}, {1, 0}, {0, 1}, {1.0 / 6, 1.0 / 6}, {2.0 / 3, 1.0 / 6}, {1.0 / 6, 2.0 / 3}, {1.0 / 3, 1.0 / 3}}};

Vec2d uvOf(const Mesh& mesh, TriangleId t, const TrianglePoint& at) {
    const Triangle& wedges = mesh.wedgesOf(t);
    const Vec2d a = mesh.uvs[wedges[0]].cast<double>(), b = mesh.uvs[wedges[1]].cast<double>(),
                c = mesh.uvs[wedges[2]].cast<double>();
    return a + at.second * (b - a) + at.third * (c - a);
}

// How far a place is from where a UV lies in the plane of a triangle of the source.
double driftOn(const Mesh& source, TriangleId t, const Vec3d& place, const Vec2d& uv) {
    const Vec2d origin = uvOf(source, t, {0, 0});
    const Vec2d toSecond = uvOf(source, t, {1, 0}) - origin, toThird = uvOf(source, t, {0, 1}) - origin;
    const double determinant = toSecond.x() * toThird.y() - toSecond.y() * toThird.x();
    if (!(std::abs(determinant) > 1e-12 * toSecond.norm() * toThird.norm())) return std::numeric_limits<double>::max();
    const Vec2d off = uv - origin;
    const TrianglePoint at{(off.x() * toThird.y() - off.y() * toThird.x()) / determinant,
                           (toSecond.x() * off.y() - toSecond.y() * off.x()) / determinant};
    const Triangle& triangle = source.triangles[t];
    return (at.of(source.positions[triangle[0]].cast<double>(), source.positions[triangle[1]].cast<double>(),
                  source.positions[triangle[2]].cast<double>()) -
            place)
        .norm();
}

// A drift, with the area that it stands for.
struct Drift {
    float length = 0;
    double area = 0;
};

// Of the points of a level's triangles, in their order.
std::vector<Drift> driftsBetween(const Mesh& source, const Mesh& level, const Progress& progress) {
    const ClosestPointFinder finder(source, progress.span(0, 0.3));
    std::vector<Drift> drifts(level.triangleCount() * points.size());
    parallelRanges(
        level.triangleCount(),
        [&](std::size_t begin, std::size_t end) {
            progress.check();
            for (TriangleId t = TriangleId(begin); t < end; ++t) {
                const Triangle& triangle = level.triangles[t];
                const Vec3d a = level.positions[triangle[0]].cast<double>(),
                            b = level.positions[triangle[1]].cast<double>(),
                            c = level.positions[triangle[2]].cast<double>();
                const double area = areaNormal(a, b, c).norm() / 2 / double(points.size());
                TriangleId hint = 0;
                for (std::size_t i = 0; i < points.size(); ++i) {
                    const SurfacePoint closest = finder.find(points[i].of(a, b, c), hint);
                    hint = closest.triangle;
                    const Vec2d uv = uvOf(level, t, points[i]);
                    double least = driftOn(source, closest.triangle, closest.place, uv);
                    for (const VertexId v : source.triangles[closest.triangle])
                        for (const TriangleId around : finder.around().of(v))
                            least = std::min(least, driftOn(source, around, closest.place, uv));
                    if (least < std::numeric_limits<float>::max()) drifts[t * points.size() + i] = {float(least), area};
                }
            }
        },
        256);
    return drifts;
}

}  // namespace

TextureDrift measureTextureDrift(const Mesh& source, const Mesh& level, const Progress& progress) {
    requireSound(source, "The source");
    requireSound(level, "The level");
    if (source.uvs.empty() || level.uvs.empty())
        throw MeshError("Texture drift needs UVs on the source and on the level; one of them has none.");
    // Part by part, where the parts are the same: what touches another part is not held against that one's UVs.
    const bool byParts = source.parts.size() > 1 && source.parts.size() == level.parts.size();
    const auto sourceSections = sectionsByPart(source), levelSections = sectionsByPart(level);
    std::vector<Drift> drifts;
    const std::size_t parts = byParts ? source.parts.size() : 1;
    for (std::size_t part = 0; part < parts; ++part) {
        const Progress share = progress.span(double(part) / double(parts), double(part + 1) / double(parts));
        std::vector<Drift> some;
        if (byParts) {
            const Mesh sourcePart = extractSurface(source, sourceSections[part]);
            const Mesh levelPart = extractSurface(level, levelSections[part]);
            if (sourcePart.triangles.empty() || levelPart.triangles.empty()) continue;
            some = driftsBetween(sourcePart, levelPart, share);
        } else {
            some = driftsBetween(source, level, share);
        }
        drifts.insert(drifts.end(), some.begin(), some.end());
    }
    TextureDrift result;
    double area = 0;
    for (const Drift& drift : drifts) {
        const double length = double(drift.length);
        area += drift.area;
        result.mean += drift.area * length;
        result.rms += drift.area * length * length;
        result.max = std::max(result.max, length);
    }
    if (!(area > 0)) return result;
    result.mean /= area;
    result.rms = std::sqrt(result.rms / area);
    std::sort(drifts.begin(), drifts.end(), [](const Drift& a, const Drift& b) { return a.length < b.length; });
    double below = 0;
    for (const Drift& drift : drifts) {
        below += drift.area;
        result.p95 = double(drift.length);
        if (below >= 0.95 * area) break;
    }
    progress.at(1);
    return result;
}

}  // namespace um
