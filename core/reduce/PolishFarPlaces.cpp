#include "reduce/Polisher.h"

namespace um {

// The distance of a place at t from the source, squared; if it is not more than `known`, anything up to that.
double Polisher::offSquared(TriangleId t, const Vec3d& p, double known) const {
    const TriangleId near = hitNear(t, p);
    if (near == noIndex) return 0;
    Closest closest = walkCloser(m_from.mesh, m_from.around, p, near);
    if (closest.squaredDistance <= known) return 0;
    // The walk may be stuck behind a fold. From the sample that is nearest it mostly begins on the right side of it.
    if (const TriangleId other = sourceTriangleNear(t, p); other != noIndex) {
        const Closest again = walkCloser(m_from.mesh, m_from.around, p, other);
        if (again.squaredDistance < closest.squaredDistance) closest = again;
    }
    if (closest.squaredDistance <= known) return 0;
    return searchAround(m_from.mesh, m_from.around, p, closest.triangle).squaredDistance;
}

// The other way round: of a place of the source, which is known to be near that triangle of the level.
Closest Polisher::closestOnLevel(const Vec3d& p, TriangleId near, double known) const {
    const Closest closest = walkCloser(m_level, m_around, p, near);
    return closest.squaredDistance > known ? searchAround(m_level, m_around, p, closest.triangle) : closest;
}

// Of the places of triangles. Those are looked at whose samples are far off, and those at which the level folds back:
// there it may run far off without any of the source's points being far off the level.
void Polisher::lookAtLevel(FarSearch& search, const Progress& progress) const {
    constexpr float foldedBack = 0.2F;
    const double least = search.least;
    parallelFor(
        search.found.size(),
        [&](std::size_t i) {
            progress.check();
            const auto t = TriangleId(i);
            if (!search.isLookedAt(t)) return;
            const auto isFoldedBack = [&](std::size_t k) {
                const Beyond beyond = beyondEdge(m_level, m_around, t, k);
                return beyond.isThere() && search.normals[t].dot(search.normals[beyond.triangle]) < foldedBack;
            };
            const bool isFar = double(m_farthest[t]) > search.doubtful;
            if (!isFar && !isFoldedBack(0) && !isFoldedBack(1) && !isFoldedBack(2)) return;
            const auto [a, b, c] = cornersOf(t);
            FarTriangle& far = search.found[t];
            for (const TrianglePoint& at : trianglePlaces()) {
                const double squared = offSquared(t, at.of(a, b, c), std::max(least * least, far.squaredDistance));
                if (squared > far.squaredDistance) far = {squared, t, t, false, at};
            }
        },
        256);
}

// Of what the source has between its vertices: where they are far off, and where the level faces another way at one of
// them, so that a fold may be missing.
void Polisher::lookBetweenSamples(FarSearch& search, const Progress& progress) const {
    constexpr double share = 0.4;
    constexpr float sameWay = 0.7F;
    constexpr std::size_t fewPlaces = 4;
    const double least = search.least;
    std::vector<const Sample*> sampleOf(m_from.mesh.vertexCount(), nullptr);
    for (const Sample& sample : m_samples) sampleOf[sample.vertex] = &sample;
    const auto farthestCornerOf = [&](TriangleId s) {
        double farthest = 0;
        for (const VertexId v : m_from.mesh.triangles[s]) farthest = std::max(farthest, double(sampleOf[v]->distance));
        return farthest;
    };
    // The corner opposite to the longest edge.
    const auto longestOf = [&](TriangleId s) {
        const std::array<Vec3d, 3> corners = m_from.cornersOf(s);
        std::array<double, 3> squared;
        for (std::size_t k = 0; k < 3; ++k) squared[k] = (corners[(k + 2) % 3] - corners[(k + 1) % 3]).squaredNorm();
        const auto k = std::size_t(std::max_element(squared.begin(), squared.end()) - squared.begin());
        return std::pair(k, squared[k]);
    };
    const auto isDoubtful = [&](std::size_t i) {
        const auto s = TriangleId(i);
        const Triangle& corners = m_from.mesh.triangles[s];
        if (std::any_of(corners.begin(), corners.end(), [&](VertexId v) { return sampleOf[v] == nullptr; }))
            return false;
        if (std::none_of(corners.begin(), corners.end(),
                         [&](VertexId v) { return search.isLookedAt(sampleOf[v]->triangle); }))
            return false;
        const double farthest = farthestCornerOf(s);
        if (farthest > least) return true;
        const Vec3f normal = m_from.normalOf(s).cast<float>();
        if (std::none_of(corners.begin(), corners.end(),
                         [&](VertexId v) { return search.normals[sampleOf[v]->triangle].dot(normal) < sameWay; }))
            return false;
        // No place is farther from all corners than a third of the longest edge squared.
        const double missing = least - farthest;
        return longestOf(s).second > 3 * missing * missing;
    };
    const std::vector<TriangleId> doubtful = parallelIndices(m_from.mesh.triangleCount(), isDoubtful);
    std::vector<FarTriangle> farthest(doubtful.size());
    parallelFor(
        doubtful.size(),
        [&](std::size_t i) {
            progress.check();
            const TriangleId s = doubtful[i];
            const auto [a, b, c] = m_from.cornersOf(s);
            FarTriangle& far = farthest[i];
            const auto look = [&](const TrianglePoint& at) {
                const Closest closest = closestOnLevel(at.of(a, b, c), sampleOf[m_from.mesh.triangles[s][0]]->triangle,
                                                       std::max(least * least, far.squaredDistance));
                if (closest.squaredDistance > far.squaredDistance)
                    far = {closest.squaredDistance, closest.triangle, s, true, at};
            };
            const auto isNear = [&] { return far.squaredDistance < least * least / 4; };
            // Where the corners lie on both sides of a fold that is missing, the longest edge tells.
            const std::size_t k = longestOf(s).first;
            look({k == 1 ? 0 : 0.5, k == 2 ? 0 : 0.5});
            if (isNear() && farthestCornerOf(s) < share * least) return;
            for (std::size_t n = 0; n < trianglePlaces().size(); ++n) {
                if (n == fewPlaces && isNear()) break;
                look(trianglePlaces()[n]);
            }
        },
        64);
    for (const FarTriangle& far : farthest) search.note(far);
}

// Of the source's vertices that are no samples: where one that went into the same vertex is off, they may be farther.
void Polisher::lookBesideSamples(FarSearch& search, const Groups& sourceVertices, const Progress& progress) const {
    constexpr double share = 0.5;
    if (m_samples.size() >= sourceVertices.items.size()) return;
    std::vector<const Sample*> farthest(m_level.vertexCount(), nullptr);
    std::vector<std::uint8_t> isSample(m_from.mesh.vertexCount(), 0);
    for (const Sample& sample : m_samples) {
        isSample[sample.vertex] = 1;
        const Sample*& there = farthest[m_provenance.destinations[sample.vertex]];
        if (there == nullptr || sample.distance > there->distance) there = &sample;
    }
    std::vector<std::vector<FarTriangle>> far(sourceVertices.count());
    parallelFor(
        far.size(),
        [&](std::size_t v) {
            progress.check();
            if (farthest[v] == nullptr || double(farthest[v]->distance) < share * search.least) return;
            if (!search.isLookedAt(farthest[v]->triangle)) return;
            const double least = search.least * search.least;
            for (const VertexId s : sourceVertices.of(v)) {
                if (isSample[s] != 0 || m_from.around.of(s).empty()) continue;
                const Closest closest = closestOnLevel(sourcePlace(s), farthest[v]->triangle, least);
                if (!(closest.squaredDistance > least)) continue;
                const TriangleId on = m_from.around.of(s)[0];
                const Triangle& corners = m_from.mesh.triangles[on];
                const TrianglePoint at{corners[1] == s ? 1.0 : 0.0, corners[2] == s ? 1.0 : 0.0};
                far[v].push_back({closest.squaredDistance, closest.triangle, on, true, at});
            }
        },
        64);
    for (const std::vector<FarTriangle>& there : far)
        for (const FarTriangle& next : there) search.note(next);
}

// Where the surfaces fold, distances have narrow ridges.
void Polisher::lookCloser(FarTriangle& far) const {
    if (far.on == noIndex) return;
    const auto [a, b, c] = far.isOnSource ? m_from.cornersOf(far.on) : cornersOf(far.on);
    far.at = climb(far.at, far.squaredDistance, [&](auto places, auto squared) {
        double known = far.squaredDistance;
        for (std::size_t i = 0; i < places.size(); ++i) {
            const Vec3d p = places[i].of(a, b, c);
            squared[i] =
                far.isOnSource ? closestOnLevel(p, far.triangle, known).squaredDistance : offSquared(far.on, p, known);
            known = std::max(known, squared[i]);
        }
    });
}

// The farthest first; ties by number.
// @param doubt     the share of `least` that a triangle's samples must be off for it to be looked at all over
// @param isMended  of each triangle of the level: only there is looked; empty to look everywhere
std::vector<Polisher::FarTriangle> Polisher::farTriangles(double least, double doubt, std::size_t most,
                                                          const std::vector<std::uint8_t>& isMended,
                                                          const Groups& sourceVertices,
                                                          const Progress& progress) const {
    constexpr double manySamples = 8;  // for a triangle: they tell of what lies between them
    const std::size_t triangles = m_level.triangleCount();
    FarSearch search{least, doubt * least, isMended, std::vector<Vec3f>(triangles),
                     std::vector<FarTriangle>(triangles)};
    parallelFor(triangles, [&](std::size_t t) {
        const auto [a, b, c] = cornersOf(TriangleId(t));
        search.normals[t] = areaNormal(a, b, c).normalized().cast<float>();
        search.found[t].triangle = TriangleId(t);
        if (search.isLookedAt(TriangleId(t)))
            search.found[t].squaredDistance = double(m_farthest[t]) * double(m_farthest[t]);
    });
    // What comes after so many that are known, nobody will get to.
    const auto raiseLeast = [&] {
        std::vector<double> squared;
        for (const FarTriangle& far : search.found)
            if (far.squaredDistance > least * least) squared.push_back(far.squaredDistance);
        if (squared.size() <= 2 * most) return;
        std::nth_element(squared.begin(), squared.begin() + long(2 * most), squared.end(), std::greater<>());
        search.least = std::sqrt(squared[2 * most]);
    };
    lookAtLevel(search, progress);
    lookBesideSamples(search, sourceVertices, progress);
    raiseLeast();
    if (double(m_samples.size()) < manySamples * double(triangles)) lookBetweenSamples(search, progress);
    std::vector<FarTriangle> far =
        parallelFilter(search.found, [&](std::size_t t) { return search.found[t].squaredDistance > least * least; });
    const auto sort = [&] {
        std::stable_sort(far.begin(), far.end(), [](const FarTriangle& x, const FarTriangle& y) {
            return x.squaredDistance > y.squaredDistance;
        });
    };
    sort();
    // Some turn out to be much farther off.
    far.resize(std::min(far.size(), 4 * most));
    parallelFor(
        far.size(), [&](std::size_t i) { lookCloser(far[i]); }, 16);
    sort();
    far.resize(std::min(far.size(), most));
    return far;
}

}  // namespace um
