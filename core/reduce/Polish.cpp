#include "reduce/Polisher.h"

namespace um {

namespace {

// Of so many vertices that are put in, one is for those.
constexpr std::size_t oneForMending = 4;

}  // namespace

PolishSource::PolishSource(const Mesh& source, const Progress& progress)
    : mesh(source), around(findVertexTriangles(source.triangles, source.vertexCount())) {
    progress.check();
    spheres = spheresOf(source);
    progress.check();
}

Closest PolishSource::closest(const Vec3d& p, TriangleId near, double farSquared) const {
    const Closest walked = walkCloser(mesh, around, p, near);
    return walked.squaredDistance > farSquared ? searchAround(mesh, around, p, walked.triangle) : walked;
}

Polisher::Polisher(Mesh level, const PolishSource& source, Provenance provenance, const Sampling& sampling)
    : m_level(std::move(level)),
      m_from(source),
      m_provenance(std::move(provenance)),
      m_sampling(sampling),
      m_sections(sectionOfTriangles(m_level)) {
    connect();
    placeProbes();
    takeSamples();
    takeLineSamples();
}

void Polisher::improve(int rounds, std::size_t triangles, std::size_t spare, const Limit& limit,
                       const Progress& progress) {
    m_level.positions.reserve(m_level.vertexCount() + (triangles + 1) / 2);
    m_level.triangles.reserve(m_level.triangleCount() + triangles);
    std::size_t vertices = triangles / 2;
    spare = std::min(spare, vertices);
    vertices -= spare;
    const std::size_t forMending = (vertices + oneForMending - 1) / oneForMending;
    vertices -= forMending;
    for (int round = 0; round < rounds; ++round) {
        progress.at(double(round) / rounds);
        const bool wasPlaced = m_isPlaced;
        findClosest(progress);
        if (wasPlaced) {
            // The rest where it is still worst then.
            const bool isLast = round + 1 == rounds;
            const std::size_t now = isLast ? vertices : (vertices + 1) / 2;
            insertVertices(now, false, progress);
            vertices -= now;
            if (isLast && triangles % 2 == 1) insertOnBorder(false, progress);
            findClosestOfChanged(progress);
            flipEdges(progress);
            findClosestOfChanged(progress);
        }
        moveVertices(progress);
    }
    // What is not needed for that goes where it does no harm: no move comes after it.
    std::size_t left = 2 * forMending;
    if (left > 0) {
        left -= limit.within > 0 ? mendFartherThan(limit.within, left, progress) : mendFarthest(left, progress);
        insertVertices(left / 2, true, progress);
        left %= 2;
    }
    left += 2 * spare;
    if (limit.find && triangles > 0) {
        left -= mendWhereFound(limit, left, progress);
        if (limit.leavesOutSpare) left = 0;
    }
    insertVertices(left / 2, true, progress);
    // Where a border was split, one is left over.
    if (left % 2 == 1) insertOnBorder(true, progress);
    m_isCurrent = m_isCurrent && m_changed.empty();
    progress.at(1);
}

// Where splits keep apart from one another, it takes more than one turn.
void Polisher::insertVertices(std::size_t count, bool isCareful, const Progress& progress) {
    while (count > 0) {
        findClosestOfChanged(progress);
        const std::size_t more = insertAt(farSamples(), count, isCareful);
        if (more == 0) break;
        count -= more;
    }
}

// The level's shape as it would be if it were finished now.
Mesh Polisher::shape() const {
    Mesh shape = emptyLike(m_level);
    shape.positions = m_level.positions;
    shape.triangles = m_level.triangles;
    shape.sections = m_level.sections;
    groupBySections(shape, m_sections);
    return shape;
}

std::vector<Birth> Polisher::finish() {
    if (!m_births.empty()) groupBySections(m_level, m_sections);
    return std::move(m_births);
}

}  // namespace um
