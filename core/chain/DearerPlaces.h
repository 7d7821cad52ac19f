#pragma once
/// Weights of the source's error, raised at places where a level was too far off, for another reduction.
#include "measure/Deviation.h"

#include <vector>

namespace um {

class DearerPlaces {
public:
    /// Keeps a reference to the source.
    explicit DearerPlaces(const Mesh& source) : m_source(source) {}

    /// One triangle of the source at each place that is farther off than nearly `allowed`. For a place of the level it
    /// is one of the same part: another part may be closer where they run into one another, but has nothing to do with
    /// it.
    std::vector<TriangleId> trianglesTooFar(const Mesh& level, const Deviation& deviation, double allowed) const;

    /// Makes those dearer, and what lies about half an edge of a level of that count around.
    /// @param factors  for each vertex of the source; empty where nothing has been made dearer yet
    void add(const std::vector<TriangleId>& places, std::size_t count, std::vector<float>& factors);

private:
    TriangleId closestOfPart(std::uint32_t part, const Vec3d& place) const;

    const Mesh& m_source;
    VertexTriangles m_around;
};

}  // namespace um
