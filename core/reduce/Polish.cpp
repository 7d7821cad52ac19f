#include "reduce/Polisher.h"

namespace um {

namespace {

// Places so many times farther off than the root mean square are looked at one by one at last.
constexpr double mendFrom = 5;

// Of so many vertices that are put in, one is for those.
constexpr std::size_t oneForMending = 16;

}  // namespace

PolishSource::PolishSource(const Mesh& source, const Progress& progress)
    : mesh(source), around(findVertexTriangles(source.triangles, source.vertexCount())) {
    progress.check();
    spheres = spheresOf(source);
    progress.check();
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

void Polisher::improve(int rounds, std::size_t triangles, const Progress& progress) {
    m_level.positions.reserve(m_level.vertexCount() + (triangles + 1) / 2);
    m_level.triangles.reserve(m_level.triangleCount() + triangles);
    std::size_t vertices = triangles / 2;
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
            insertVertices(now, progress);
            vertices -= now;
            if (isLast && triangles % 2 == 1) insertOnBorder(progress);
            findClosestOfChanged(progress);
            flipEdges(progress);
            findClosestOfChanged(progress);
        }
        moveVertices(progress);
    }
    mendFarthest(forMending, progress);
    progress.at(1);
}

// Where splits keep apart from one another, it takes more than one turn.
void Polisher::insertVertices(std::size_t count, const Progress& progress) {
    while (count > 0) {
        findClosestOfChanged(progress);
        const std::size_t more = insertAt(farSamples(), count);
        if (more == 0) break;
        count -= more;
    }
}

// After the last move, so that what has come closer stays so: first where it helps, on either surface.
void Polisher::mendFarthest(std::size_t count, const Progress& progress) {
    if (count == 0) return;
    findClosest(progress);
    const double least = mendFrom * std::sqrt(meanSquared());
    std::vector<FarPlace> places = farMiddles(least);
    for (const FarPlace& far : farSamples())
        if (double(far.distance) > least) places.push_back(far);
    count -= mend(std::move(places), count);
    insertVertices(count, progress);
    m_isCurrent = m_changed.empty();
}

std::vector<Birth> Polisher::finish() {
    if (!m_births.empty()) groupBySections(m_level, m_sections);
    return std::move(m_births);
}

}  // namespace um
