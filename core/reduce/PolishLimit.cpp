#include "reduce/Polisher.h"

namespace um {

// All of it, as often as something is found, with as many patches as that takes.
// @returns how many triangles it has more
std::size_t Polisher::mendFartherThan(double within, std::size_t count, const Progress& progress) {
    constexpr int mostLooks = 3;
    constexpr std::size_t manyForOne = 6;  // more than that is too far off everywhere
    constexpr double whateverItCosts = std::numeric_limits<double>::infinity();
    // With a look at more of it little more is found, at many times the cost.
    constexpr double doubt = 0.3;
    // It will be measured in more places than are looked at here, and what is proven is a little more than that.
    constexpr double closerThanAsked = 0.94;
    const double least = closerThanAsked * within;
    const std::size_t mostPatches = manyForOne * patches();
    findClosest(progress);
    const Groups sourceVertices = sourceByVertex();
    std::size_t inserted = 0;
    for (int look = 0; look < mostLooks; ++look) {
        std::vector<std::uint8_t> isMended;
        std::vector<FarTriangle> far =
            farTriangles(lookFrom * least, doubt, m_level.triangleCount(), isMended, sourceVertices, progress);
        const auto tooFar = std::size_t(std::count_if(
            far.begin(), far.end(), [&](const FarTriangle& next) { return next.squaredDistance > least * least; }));
        if (tooFar == 0) break;
        // Some are looked at twice, since they were in the way of one another.
        inserted += mendInTurns(std::move(far), least, std::min(2 * tooFar, mostPatches), whateverItCosts,
                                count - inserted, sourceVertices, isMended, progress);
    }
    return inserted;
}

// The triangle of the level at a place where it is too far off.
Polisher::FarTriangle Polisher::farTriangleAt(const TooFar& there) const {
    const Closest onLevel = closestOf(m_level, there.place, m_levelTree->closestTo(there.place).triangle);
    const Closest onSource = closestOf(m_from.mesh, there.place, m_sourceTree->closestTo(there.place).triangle);
    FarTriangle far;
    far.triangle = onLevel.triangle;
    far.isOnSource = there.isOnSource;
    far.squaredDistance = there.isOnSource ? onLevel.squaredDistance : onSource.squaredDistance;
    const Closest& own = there.isOnSource ? onSource : onLevel;
    far.on = own.triangle;
    far.at = own.at;
    lookCloser(far);
    return far;
}

// Very many steps can be tried at each of a few places.
// @param count  of triangles that it may have more; those that it has are taken off
// @returns whether there was something to be done at each of them
bool Polisher::mendAt(const std::vector<TooFar>& places, const Limit& limit, std::size_t& count,
                      const Progress& progress) {
    const double within = limit.within;
    constexpr std::size_t mostNewOfPlace = 12;
    constexpr double closerThanAsked = 0.97;
    if (m_isCurrent)
        findClosestOfChanged(progress);
    else
        findClosest(progress);
    if (m_sourceTree == nullptr) m_sourceTree = std::make_shared<const TriangleTree>(m_from.mesh, progress);
    m_levelTree = std::make_shared<const TriangleTree>(m_level, progress);
    std::vector<FarTriangle> far;
    for (const TooFar& place : places) far.push_back(farTriangleAt(place));
    const Groups sourceVertices = sourceByVertex();
    std::vector<std::uint8_t> isDone(m_level.triangleCount(), 0);
    PatchLimits limits;
    limits.ahead = limit.ahead;
    limits.isCloseLook = true;
    // A little is enough where little is missing.
    limits.mostLeft = 0.95;
    limits.mostLeftBySplit = 0.9;
    for (;;) {
        const std::vector<Piece> pieces = piecesAt(far, 0, far.size(), isDone);
        if (pieces.empty()) return true;
        limits.triangles = std::min(count, mostNewOfPlace);
        const auto steps = stepsIn(pieces, closerYet * closerThanAsked * within, limits, sourceVertices, progress);
        for (std::size_t i = 0; i < pieces.size(); ++i)
            if (steps[i].empty() && pieces[i].far.squaredDistance > within * within) return false;
        count -= take(pieces, steps, count, isDone);
        m_levelTree = std::make_shared<const TriangleTree>(m_level, progress);
        findClosestOfChanged(progress);
    }
}

// Where the level was measured and found to be too far off. If one of the places cannot be mended, nothing is won with
// the others.
// @returns how many triangles it has more
std::size_t Polisher::mendWhereFound(const Limit& limit, std::size_t count, const Progress& progress) {
    constexpr int mostTimes = 6;
    // Of a small level, patches soon are the whole.
    constexpr std::size_t trianglesForPlace = 50, fewPlaces = 6, manyPlaces = 48;
    const std::size_t mostPlaces = std::clamp(m_level.triangleCount() / trianglesForPlace, fewPlaces, manyPlaces);
    std::size_t left = count;
    for (int time = 0; time < mostTimes; ++time) {
        const Progress finding = progress.span(double(time) / mostTimes, double(time + 1) / mostTimes);
        const std::vector<TooFar> places = limit.find(shape(), finding);
        if (places.empty() || places.size() > mostPlaces) break;
        if (!mendAt(places, limit, left, progress)) break;
    }
    m_sourceTree = m_levelTree = nullptr;
    return count - left;
}

}  // namespace um
