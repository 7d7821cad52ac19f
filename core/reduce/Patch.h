#pragma once
/// A few triangles of a level, changed by trying until they lie closer to the source.
#include "mesh/TriangleTree.h"
#include "reduce/Insertion.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>
#include <memory>
#include <optional>
#include <span>

namespace um {

/// From p to the closest place of the triangle with those corners.
inline double squaredDistance(const Vec3d& p, const std::array<Vec3d, 3>& corners) {
    const auto& [a, b, c] = corners;
    return (closestOnTriangle(p, a, b, c).of(a, b, c) - p).squaredNorm();
}

/// Places all over a triangle, those in its middle first: what is wrong with a triangle mostly shows there.
const std::vector<TrianglePoint>& trianglePlaces();

/// Twice as close.
const std::vector<TrianglePoint>& closeTrianglePlaces();

/// From a place of a triangle on to where a value is largest, as far as it grows in small steps.
/// @param value     at that place; becomes the largest
/// @param valuesAt  called as valuesAt(places, values): writes the value at each of up to six places
template <class ValuesAt>
TrianglePoint climb(TrianglePoint at, double& value, const ValuesAt& valuesAt) {
    for (double step = 1.0 / 12; step > 1.0 / 40; step /= 2) {
        std::array<TrianglePoint, 6> places;
        std::array<double, 6> values;
        std::size_t count = 0;
        for (const auto& [second, third] : {std::pair(1, 0), std::pair(-1, 0), std::pair(0, 1), std::pair(0, -1),
                                            std::pair(1, -1), std::pair(-1, 1)}) {
            const TrianglePoint next{at.second + step * second, at.third + step * third};
            if (next.second >= 0 && next.third >= 0 && next.first() >= 0) places[count++] = next;
        }
        valuesAt(std::span(places).first(count), std::span(values).first(count));
        for (std::size_t i = 0; i < count; ++i)
            if (values[i] > value) {
                value = values[i];
                at = places[i];
            }
    }
    return at;
}

/// One change of a patch. Its triangles and vertices are numbered from 0, new ones after those that it had, as
/// `splitTriangle` and `splitEdge` add them.
struct PatchStep {
    enum class Kind { Flip, Move, SplitTriangle, SplitEdge };

    Kind kind = Kind::Move;
    TriangleId triangle = 0;
    std::size_t corner = 0;       ///< of the triangle, opposite to the edge that is flipped or split
    Beyond beyond;                ///< that edge
    VertexId vertex = 0;          ///< that moves
    TrianglePoint at;             ///< of the triangle, where it is split
    Vec3d place = Vec3d::Zero();  ///< of the vertex that moves or is new

    bool addsAVertex() const { return kind == Kind::SplitTriangle || kind == Kind::SplitEdge; }
    std::size_t newTriangles() const {
        return kind == Kind::SplitTriangle ? 2 : kind == Kind::SplitEdge ? (beyond.isThere() ? 2 : 1) : 0;
    }
};

/// What may be done in a patch.
struct PatchLimits {
    std::size_t triangles = 0;  ///< more than there were
    /// What is far off comes closer at the cost of what is near: the squares of the samples' distances may add up to so
    /// many times what they were.
    double squares = std::numeric_limits<double>::infinity();
    /// Where no step helps by itself, so many of the best are tried with another one after each: many times the cost.
    std::size_t ahead = 0;
    /// Whether triangles are looked at in three times as many places.
    bool isCloseLook = false;
    /// What a step may leave of what is bad, and what one that puts in a vertex.
    double mostLeft = 0.8, mostLeftBySplit = 0.5;
};

/// Steps are looked for greedily: of all that are allowed the one after which the patch and the source's points at it
/// are closest to one another, those far off counting most by far, so long as those near do not pay too much for it.
/// The patch's rim stays where it is, and lines along the source's; no triangle faces away from the source or becomes a
/// needle.
class Patch {
public:
    /// What may become of a vertex.
    struct Role {
        bool isOnRim = false;  ///< the level has other triangles at it, too
        bool isOnLine = false, isHeld = false;
    };

    /// An edge of the piece that is not flipped: a protected line runs along it, or its ends are locked.
    struct Line {
        VertexId a = 0, b = 0;
        bool mayBeSplit = false;     ///< all its triangles are in the piece, and it is not locked
        std::vector<Vec3d> samples;  ///< points of the source's line at it: the places that its vertices may move to
    };

    struct Content {
        Mesh piece;               ///< with positions and triangles, and wedges if edges may not be smooth
        std::vector<Role> roles;  ///< for each vertex
        std::vector<Line> lines;
        std::vector<std::uint16_t> sections;  ///< for each triangle
        Mesh ground;                          ///< the source around there: positions and triangles
        std::vector<Vec3d> samples;           ///< points of it
        std::vector<float> beside;            ///< how far each is off the rest of the level, squared
    };

    /// @param content  with a ground of at least one triangle
    explicit Patch(Content content);

    /// @param goal  nothing closer than this counts as far off: when all is, there is nothing more to do
    /// @returns what was done, to be done to the level as well
    /// @throws Cancelled
    std::vector<PatchStep> improve(double goal, const PatchLimits& limits, const Progress& progress);

    const Mesh& piece() const { return m_content.piece; }
    /// How far a place of the patch or a sample was off at last.
    double farthest() const { return std::sqrt(m_farthestSquared); }

private:
    using Corners = std::array<Vec3d, 3>;

    // How a triangle lies to the source.
    struct Side {
        double badness = 0, farthestSquared = 0;
        double facing = 0;       // the mean cosine to the source's normals
        TrianglePoint worst;     // where it is farthest off
        TriangleId nearest = 0;  // one of the source that is close
    };

    struct Trial {
        PatchStep step;
        std::vector<TriangleId> old;
        std::vector<Corners> now;
    };

    // And the badness after it.
    struct Rated {
        double badness = 0;
        Trial trial;
    };

    // The source around there.
    struct Ground {
        Mesh mesh;
        TriangleTree tree;
        std::vector<Vec3d> normals;  // of its triangles

        explicit Ground(Mesh surface);
        Ground(const Ground&) = delete;  // the tree refers to the mesh
        Ground& operator=(const Ground&) = delete;
    };

    Vec3d place(VertexId v) const { return m_content.piece.positions[v].cast<double>(); }
    Corners cornersOf(TriangleId t) const;
    double badnessOf(double squaredDistance) const;
    Side sideOf(const Corners& corners, const Side& before, double most) const;
    void measure(TriangleId t);
    void sumUp();
    void findWorst();
    bool isFar(std::size_t sample) const;
    bool isInside(VertexId a, VertexId b) const { return !m_content.roles[a].isOnRim || !m_content.roles[b].isOnRim; }
    std::optional<std::size_t> lineAlong(VertexId a, VertexId b) const;
    std::vector<Vec3d> lineSamplesAt(VertexId v) const;
    void splitLine(Line& line, VertexId v);
    std::vector<Vec3d> placesAround(VertexId v) const;
    std::vector<Trial> flips() const;
    std::vector<Trial> moves() const;
    bool areAllHeld(TriangleId t) const {
        const Triangle& corners = m_content.piece.triangles[t];
        return std::all_of(corners.begin(), corners.end(), [&](VertexId v) { return m_content.roles[v].isHeld; });
    }
    bool maySplitFreely(TriangleId t, std::size_t k, const Beyond& beyond) const;
    std::vector<Trial> splits() const;
    std::vector<Vec3d> placesForSplit(const Vec3d& middle) const;
    std::vector<Vec3d> placesForSplit(const Line& line) const;
    void addSplits(Trial split, const std::vector<Vec3d>& places, std::vector<Trial>& splits) const;
    double badnessAfter(const Trial& trial, double most) const;
    float leastWithout(std::size_t sample, const std::vector<std::uint8_t>& isOld) const;
    std::vector<Rated> bestTrials(std::size_t count, double most, double mostBySplit, const Progress& progress) const;
    std::vector<Trial> bestTwoTrials(const Progress& progress) const;
    void take(const Trial& trial);

    Content m_content;                       // without the ground
    std::shared_ptr<const Ground> m_ground;  // copies share it
    VertexTriangles m_around;
    double m_goalSquared = 0;
    std::vector<Side> m_sides;                    // of each triangle
    std::vector<std::vector<float>> m_distances;  // from each triangle to each sample, squared
    std::vector<TriangleId> m_closest;            // of each sample; `noIndex` beside the patch
    std::vector<float> m_least;                   // from each sample to that, squared
    Groups m_samplesAt;                           // each triangle is the closest to
    std::vector<std::uint8_t> m_isAtWorst;        // each triangle, or beside it: elsewhere no step is tried
    std::uint32_t m_farthestSample = 0;           // of those at the patch
    // Which more than the triangle that they are at may come closer to, the farthest first.
    std::vector<std::uint32_t> m_farSamples;
    bool m_isWorstAtSamples = false;  // rather than at places of triangles
    double m_badness = 0, m_farthestSquared = 0;
    double m_squares = 0, m_mostSquares = 0;  // of the distances of the samples, summed up
    std::size_t m_newTriangles = 0, m_newWedges = 0;
    PatchLimits m_limits;
};

}  // namespace um
