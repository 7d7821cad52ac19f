#include "chain/DearerPlaces.h"

#include "base/Sorted.h"
#include "chain/MendedLevel.h"

#include <algorithm>
#include <cmath>
#include <limits>

namespace um {

namespace {

constexpr float dearerEachTime = 10, dearest = 100;

}  // namespace

// The one that has the vertex closest to the place.
TriangleId DearerPlaces::closestOfPart(std::uint32_t part, const Vec3d& place) const {
    TriangleId closest = 0;
    double least = std::numeric_limits<double>::max();
    for (const Section& section : m_source.sections) {
        if (section.part != part) continue;
        for (TriangleId t = section.firstTriangle; t < section.firstTriangle + section.triangleCount; ++t)
            for (const VertexId v : m_source.triangles[t]) {
                const double squared = (m_source.positions[v].cast<double>() - place).squaredNorm();
                if (squared >= least) continue;
                least = squared;
                closest = t;
            }
    }
    return closest;
}

std::vector<TriangleId> DearerPlaces::trianglesTooFar(const Mesh& level, const Deviation& deviation,
                                                      double allowed) const {
    const std::vector<std::uint16_t> sections = sectionOfTriangles(level);
    std::vector<TriangleId> triangles;
    for (const FarPlace& far : deviation.farPlaces)
        if (far.distance >= nearlyTooFar * allowed)
            triangles.push_back(far.isOnSource
                                    ? *far.triangle
                                    : closestOfPart(level.sections[sections[*far.triangle]].part, far.place));
    return triangles;
}

void DearerPlaces::add(const std::vector<TriangleId>& places, std::size_t count, std::vector<float>& factors) {
    if (m_around.count() == 0) m_around = findVertexTriangles(m_source.triangles, m_source.vertexCount());
    factors.resize(m_source.vertexCount(), 1);
    const double sourceForOne = double(m_source.triangleCount()) / double(count);
    const long rings = std::max(1L, std::lround(std::sqrt(sourceForOne) / 2));
    std::vector<VertexId> all;
    for (const TriangleId place : places) {
        std::vector<VertexId> vertices(m_source.triangles[place].begin(), m_source.triangles[place].end());
        for (long ring = 0; ring < rings; ++ring) {
            std::vector<VertexId> more;
            for (const VertexId v : vertices)
                for (const TriangleId t : m_around.of(v))
                    more.insert(more.end(), m_source.triangles[t].begin(), m_source.triangles[t].end());
            sortUnique(more);
            vertices = std::move(more);
        }
        all.insert(all.end(), vertices.begin(), vertices.end());
    }
    sortUnique(all);
    for (const VertexId v : all) factors[v] = std::min(dearest, dearerEachTime * factors[v]);
}

}  // namespace um
