#include "base/Sorted.h"
#include "reduce/Polisher.h"

#include <functional>
#include <map>

namespace um {

namespace {

// Places so many times farther off than the root mean square are looked at one by one.
constexpr double mendFrom = 5;

// Where what has samples closer than this share of that is not looked at all over.
constexpr double doubt = 0.7;

// Each turn looks at what is farther off than this share of the turn before's.
constexpr double lowering = 0.75;

// So many patches for a triangle of the level, within limits, and to each of them so many new vertices and triangles.
constexpr double patchesForOne = 0.001;
constexpr std::size_t leastPatches = 24, mostPatches = 192;
constexpr std::size_t farForPatch = 4;
constexpr std::size_t mostNewOfPatch = 6;
constexpr std::size_t usualPatch = 40, largestPatch = 64;

// By so much the sum of squares over the whole level may grow each time that far places are looked for, if it is the
// same everywhere: half of it in the first turn, which is for what is farthest off, half of the rest in the next, and
// so on.
constexpr double mostMoreSquares = 0.02;

VertexId numberIn(const std::vector<VertexId>& ordered, VertexId v) {
    return VertexId(std::lower_bound(ordered.begin(), ordered.end(), v) - ordered.begin());
}

std::vector<VertexId> verticesOf(const Mesh& mesh, const std::vector<TriangleId>& triangles) {
    std::vector<VertexId> vertices;
    for (const TriangleId t : triangles)
        vertices.insert(vertices.end(), mesh.triangles[t].begin(), mesh.triangles[t].end());
    sortUnique(vertices);
    return vertices;
}

}  // namespace

std::size_t Polisher::patches() const {
    return std::clamp(std::size_t(patchesForOne * double(m_level.triangleCount())), leastPatches, mostPatches);
}

// With those at its corners, and those at theirs, where that are not too many.
std::vector<TriangleId> Polisher::trianglesAround(TriangleId t) const {
    std::vector<TriangleId> triangles = {t};
    for (int ring = 0; ring < 2; ++ring) {
        std::vector<TriangleId> more;
        for (const VertexId v : verticesOf(m_level, triangles))
            more.insert(more.end(), m_around.of(v).begin(), m_around.of(v).end());
        sortUnique(more);
        if (more.size() > largestPatch) break;
        triangles = std::move(more);
    }
    return triangles;
}

// The source's vertices that have gone into each vertex of the level.
Groups Polisher::sourceByVertex() const {
    return groupItems(m_provenance.destinations.size(), m_level.vertexCount(), [&](std::size_t s, const auto& visit) {
        const VertexId at = m_provenance.destinations[s];
        if (at != noIndex && !m_around.of(at).empty()) visit(at);
    });
}

// The source's triangles that places of those are closest to: not all of their corners have gone into theirs.
std::vector<TriangleId> Polisher::sourceTrianglesAt(const std::vector<TriangleId>& triangles, double goal) const {
    const std::size_t oneOfPlaces = m_sourceTree != nullptr ? 1 : 3;
    std::vector<TriangleId> found;
    for (const TriangleId t : triangles) {
        const auto [a, b, c] = cornersOf(t);
        for (std::size_t n = 0; n < trianglePlaces().size(); n += oneOfPlaces) {
            const Vec3d p = trianglePlaces()[n].of(a, b, c);
            if (m_sourceTree != nullptr)
                found.push_back(m_sourceTree->closestTo(p).triangle);
            else if (const TriangleId hit = hitNear(t, p); hit != noIndex)
                found.push_back(m_from.closest(p, hit, goal * goal).triangle);
        }
    }
    sortUnique(found);
    return found;
}

// What the source has around there: its vertices that went into those, or, if they are very many, some of them; if they
// are few, what lies between them too. What seems to be farther off than the goal is looked for everywhere.
void Polisher::addSource(const Piece& piece, const std::vector<VertexId>& vertices, double goal,
                         const Groups& sourceVertices, const std::vector<Sphere>& spheres,
                         Patch::Content& content) const {
    constexpr std::size_t few = 250, many = 1500;
    std::vector<VertexId> members;
    for (const VertexId v : vertices)
        if (v < sourceVertices.count())
            members.insert(members.end(), sourceVertices.of(v).begin(), sourceVertices.of(v).end());
    std::sort(members.begin(), members.end());
    const auto add = [&](const Vec3d& p, VertexId from) {
        Closest closest = walkFromVertex(m_level, m_around, spheres, p, m_provenance.destinations[from]);
        if (closest.squaredDistance > goal * goal) {
            if (m_levelTree != nullptr) {
                const SurfacePoint exact = m_levelTree->closestTo(p);
                closest.triangle = exact.triangle;
                closest.squaredDistance = exact.distance * exact.distance;
            } else {
                closest = searchAround(m_level, m_around, p, closest.triangle);
            }
        }
        const bool isInside = std::binary_search(piece.triangles.begin(), piece.triangles.end(), closest.triangle);
        content.samples.push_back(p);
        content.beside.push_back(isInside ? std::numeric_limits<float>::max() : float(closest.squaredDistance));
    };
    const std::size_t step = 1 + members.size() / many;
    for (std::size_t i = 0; i < members.size(); i += step) add(sourcePlace(members[i]), members[i]);
    // Some are not to be missed.
    for (const TriangleId t : piece.triangles)
        for (const std::uint32_t s : m_samplesAt.of(t)) {
            if (m_samples[s].distance < m_farthest[t] || step == 1) continue;
            add(placeOf(m_samples[s]), m_samples[s].vertex);
        }
    if (piece.far.isOnSource) {
        const auto [a, b, c] = m_from.cornersOf(piece.far.on);
        content.samples.push_back(piece.far.at.of(a, b, c));
        content.beside.push_back(std::numeric_limits<float>::max());
    }
    std::vector<TriangleId> ground;
    std::vector<VertexId> around = verticesOf(m_from.mesh, sourceTrianglesAt(piece.triangles, goal));
    around.insert(around.end(), members.begin(), members.end());
    for (const VertexId s : around) ground.insert(ground.end(), m_from.around.of(s).begin(), m_from.around.of(s).end());
    sortUnique(ground);
    const std::vector<VertexId> onGround = verticesOf(m_from.mesh, ground);
    for (const VertexId s : onGround) content.ground.positions.push_back(m_from.mesh.positions[s]);
    for (const TriangleId t : ground) {
        const auto& [a, b, c] = m_from.mesh.triangles[t];
        content.ground.triangles.push_back({numberIn(onGround, a), numberIn(onGround, b), numberIn(onGround, c)});
        const auto isMember = [&](VertexId s) { return std::binary_search(members.begin(), members.end(), s); };
        if (members.size() > few || !isMember(a) || !isMember(b) || !isMember(c)) continue;
        const Vec3d pa = sourcePlace(a), pb = sourcePlace(b), pc = sourcePlace(c);
        add((pa + pb + pc) / 3, a);
        if (a < b) add((pa + pb) / 2, a);
        if (b < c) add((pb + pc) / 2, b);
        if (c < a) add((pc + pa) / 2, c);
    }
}

// @param vertices  of those triangles, ordered: what is found has their numbers
std::vector<Patch::Line> Polisher::linesIn(const std::vector<TriangleId>& triangles,
                                           const std::vector<VertexId>& vertices) const {
    std::map<LineEdge, Patch::Line> found;
    for (const TriangleId t : triangles)
        for (std::size_t k = 0; k < 3; ++k) {
            const LineEdge edge = std::minmax(m_level.triangles[t][(k + 1) % 3], m_level.triangles[t][(k + 2) % 3]);
            const auto& [a, b] = edge;
            if (!isFixed(a, b)) continue;
            const auto [at, isNew] = found.try_emplace(edge);
            Patch::Line& line = at->second;
            if (isNew) {
                const TriangleId beyond = beyondEdge(m_level, m_around, t, k).triangle;
                const bool isWhole = isBorderEdge(m_level, m_around, t, k) ||
                                     std::binary_search(triangles.begin(), triangles.end(), beyond);
                line = {numberIn(vertices, a), numberIn(vertices, b), isWhole && mayBeSplit(a, b), {}};
            }
            for (const std::uint32_t i : m_lineSamplesAt.of(t)) {
                const LineSample& sample = m_lineSamples[i];
                if (std::minmax(sample.a, sample.b) == std::minmax(a, b))
                    line.samples.push_back(sample.point.cast<double>());
            }
        }
    std::vector<Patch::Line> lines;
    for (auto& [edge, line] : found) lines.push_back(std::move(line));
    return lines;
}

Patch::Content Polisher::contentOf(const Piece& piece, double goal, const Groups& sourceVertices,
                                   const std::vector<Sphere>& spheres) const {
    const std::vector<TriangleId>& triangles = piece.triangles;
    Patch::Content content;
    const std::vector<VertexId> vertices = verticesOf(m_level, triangles);
    for (const TriangleId t : triangles) {
        const auto& [a, b, c] = m_level.triangles[t];
        content.piece.triangles.push_back({numberIn(vertices, a), numberIn(vertices, b), numberIn(vertices, c)});
        if (!m_level.wedges.empty()) content.piece.wedges.push_back(Triangle(m_level.wedges[t]));
        content.sections.push_back(m_sections[t]);
    }
    for (const VertexId v : vertices) {
        const auto around = m_around.of(v);
        const bool isOnRim = std::any_of(around.begin(), around.end(), [&](TriangleId t) {
            return !std::binary_search(triangles.begin(), triangles.end(), t);
        });
        content.piece.positions.push_back(m_level.positions[v]);
        content.roles.push_back({isOnRim, isOnLine(v), isHeld(v)});
    }
    content.lines = linesIn(triangles, vertices);
    addSource(piece, vertices, goal, sourceVertices, spheres, content);
    return content;
}

// @param triangles  of the patch, and its vertices, in its order: what the step adds is added to them
void Polisher::take(const PatchStep& step, std::vector<TriangleId>& triangles, std::vector<VertexId>& vertices) {
    if (step.kind == PatchStep::Kind::Move) {
        m_level.positions[vertices[step.vertex]] = step.place.cast<float>();
        return;
    }
    const TriangleId t = triangles[step.triangle];
    Beyond beyond = step.beyond;
    if (beyond.isThere()) beyond.triangle = triangles[beyond.triangle];
    if (step.kind == PatchStep::Kind::Flip) {
        flip(t, step.corner, beyond);
        return;
    }
    Split split;
    split.triangle = t;
    split.corner = step.corner;
    split.beyond = beyond;
    split.isOnEdge = step.kind == PatchStep::Kind::SplitEdge;
    split.at = step.at;
    split.place = step.place;
    const std::size_t before = m_level.triangleCount();
    insert(split);
    vertices.push_back(m_births.back().vertex);
    for (std::size_t i = before; i < m_level.triangleCount(); ++i) triangles.push_back(TriangleId(i));
}

// Some of what is farther off than the goal, each in a piece of its own that touches no triangle of the others'. What
// was done before is left out; the rest stays for later.
std::vector<Polisher::Piece> Polisher::piecesAt(std::vector<FarTriangle>& far, double goal, std::size_t most,
                                                const std::vector<std::uint8_t>& isDone) const {
    std::vector<Piece> pieces;
    std::vector<FarTriangle> later;
    std::vector<std::uint8_t> isTaken(m_level.triangleCount(), 0);
    for (const FarTriangle& next : far) {
        if (isDone[next.triangle] != 0) continue;
        std::vector<TriangleId> piece;
        if (next.squaredDistance > goal * goal && pieces.size() < most) piece = trianglesAround(next.triangle);
        if (piece.empty() || std::any_of(piece.begin(), piece.end(), [&](TriangleId t) { return isTaken[t] != 0; })) {
            later.push_back(next);
            continue;
        }
        for (const TriangleId t : piece) isTaken[t] = 1;
        pieces.push_back({std::move(piece), next});
    }
    far = std::move(later);
    return pieces;
}

// Tries steps in all pieces side by side.
// @returns what is to be done in each, in its numbers
std::vector<std::vector<PatchStep>> Polisher::stepsIn(const std::vector<Piece>& pieces, double goal,
                                                      const PatchLimits& limits, const Groups& sourceVertices,
                                                      const Progress& progress) const {
    const std::vector<Sphere> spheres = spheresOf(m_level);
    std::vector<std::vector<PatchStep>> steps(pieces.size());
    parallelFor(
        pieces.size(),
        [&](std::size_t i) {
            progress.check();
            Patch::Content content = contentOf(pieces[i], goal, sourceVertices, spheres);
            if (!content.ground.triangles.empty()) steps[i] = Patch(std::move(content)).improve(goal, limits, progress);
        },
        1);
    return steps;
}

// Takes the steps in one piece after another, if they add no more triangles than that.
// @param isDone  of each triangle; those of the pieces are, then
// @returns how many triangles it has more
std::size_t Polisher::take(const std::vector<Piece>& pieces, const std::vector<std::vector<PatchStep>>& steps,
                           std::size_t most, std::vector<std::uint8_t>& isDone) {
    const std::size_t before = m_level.triangleCount();
    for (std::size_t i = 0; i < pieces.size(); ++i) {
        std::vector<TriangleId> triangles = pieces[i].triangles;
        std::vector<VertexId> vertices = verticesOf(m_level, triangles);
        std::size_t more = 0;
        for (const PatchStep& step : steps[i]) more += step.newTriangles();
        if (m_level.triangleCount() - before + more <= most) {
            for (const PatchStep& step : steps[i]) take(step, triangles, vertices);
            if (!steps[i].empty())
                for (const TriangleId t : triangles) markChanged(t);
        }
        isDone.resize(m_level.triangleCount(), 0);
        for (const TriangleId t : triangles) isDone[t] = 1;
    }
    connect();
    return m_level.triangleCount() - before;
}

// Takes turns: first what is farthest off, then what is farther off than most of that, and so on.
// @param least        what is closer is left alone
// @param moreSquares  the share by which the sum of squares over the whole level may grow
// @param isMended     of each triangle of the level; those are, then
// @returns how many triangles it has more
std::size_t Polisher::mendInTurns(std::vector<FarTriangle> far, double least, std::size_t patches, double moreSquares,
                                  std::size_t most, const Groups& sourceVertices, std::vector<std::uint8_t>& isMended,
                                  const Progress& progress) {
    if (far.empty()) return 0;
    double goal = std::max(least, lowering * std::sqrt(far.front().squaredDistance));
    std::size_t inserted = 0;
    std::vector<std::uint8_t> isDone(m_level.triangleCount(), 0);
    while (!far.empty() && patches > 0) {
        progress.check();
        // What was in the way of what is farther off has to wait, but is to have its turn.
        const std::size_t atOnce = patches > leastPatches ? patches / 2 : patches;
        const std::vector<Piece> pieces = piecesAt(far, goal, atOnce, isDone);
        if (pieces.empty()) {
            if (goal <= least) break;
            goal = std::max(least, lowering * goal);
            std::fill(isDone.begin(), isDone.end(), 0);
            continue;
        }
        patches -= pieces.size();
        moreSquares /= 2;
        const double shareOfLevel = double(pieces.size() * usualPatch) / double(m_level.triangleCount());
        const PatchLimits limits{std::min(most - inserted, mostNewOfPatch), 1 + moreSquares / shareOfLevel};
        const auto steps = stepsIn(pieces, closerYet * goal, limits, sourceVertices, progress);
        inserted += take(pieces, steps, most - inserted, isDone);
        isMended.resize(isDone.size(), 0);
        for (std::size_t t = 0; t < isDone.size(); ++t) isMended[t] |= isDone[t];
        findClosestOfChanged(progress);
    }
    return inserted;
}

// After the last move, so that what has come closer stays so. Patches are judged in so many places only: at last those
// are looked at again.
// @returns how many triangles it has more
std::size_t Polisher::mendFarthest(std::size_t count, const Progress& progress) {
    findClosest(progress);
    const std::size_t patches = this->patches();
    // What comes after so many, nobody will get to.
    const std::size_t most = farForPatch * patches, rank = std::min(m_farthest.size() - 1, most);
    std::vector<float> farthest = m_farthest;
    std::nth_element(farthest.begin(), farthest.begin() + long(rank), farthest.end(), std::greater<>());
    const double least = std::max(mendFrom * std::sqrt(meanSquared()), double(farthest[rank]));
    const Groups sourceVertices = sourceByVertex();
    std::vector<std::uint8_t> isMended;
    std::size_t inserted = 0;
    for (const std::size_t now : {patches - patches / 4, patches / 4}) {
        std::vector<FarTriangle> far = farTriangles(lookFrom * least, doubt, most, isMended, sourceVertices, progress);
        inserted += mendInTurns(std::move(far), least, now, mostMoreSquares, count - inserted, sourceVertices, isMended,
                                progress);
        if (isMended.empty()) break;
    }
    return inserted;
}

}  // namespace um
