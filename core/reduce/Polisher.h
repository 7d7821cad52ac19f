#pragma once
/// Moving the vertices of a level, flipping its edges and putting vertices in, to lie closer to its source.
#include "base/Parallel.h"
#include "reduce/EdgeRules.h"
#include "reduce/Insertion.h"
#include "reduce/Limit.h"
#include "reduce/Patch.h"
#include "reduce/Polish.h"

#include <cmath>

namespace um {

// Points inside a level's triangle that are held against the source, by their shares of the second and third corner,
// with their part of the area.
struct TriangleProbe {
    double second, third, part;
};

// How densely a level and its source are held against one another.
struct Sampling {
    // Of the source's vertices that have gone into one vertex of the level, at least so many are samples: many more
    // hardly tell more.
    std::uint32_t enoughForVertex = 72;
    // Each triangle of the level is cut into so many times so many equal ones, whose centres are probes.
    int probesPerSide = 1;
    // Of all probes and corners of a triangle, over that of the source's vertices.
    double probeWeight = 1;
};

/// Moves the vertices of a level to lie closer to its source, flips its edges and puts vertices in. Least squares: each
/// vertex of the source pulls at its closest place on the level, and the vertices of the level go where all pulls
/// together are least; and again. Vertices of protected lines follow the lines of the source; corners and what is
/// locked stay. No triangle is turned over or becomes a needle.
/// Samples and probes are in PolishSamples.cpp, their closest places in PolishClosest.cpp, moves in PolishMoves.cpp,
/// flips in PolishFlips.cpp, new vertices in PolishSplits.cpp, what is far off in PolishFarPlaces.cpp, the patches of
/// last resort in PolishMends.cpp; what comes within a length at last in PolishLimit.cpp.
/// Source: after Hoppe, DeRose, Duchamp, McDonald & Stuetzle 1993, SIGGRAPH: mesh optimization.
class Polisher {
public:
    /// Keeps a reference to the source.
    Polisher(Mesh level, const PolishSource& source, Provenance provenance, const Sampling& sampling);

    Mesh& level() { return m_level; }
    const Mesh& level() const { return m_level; }
    const Provenance& provenance() const { return m_provenance; }

    /// @param rounds      each finds closest places and moves; but for the very first, edges are flipped before that
    /// @param triangles   that the level may have more of: vertices are put in where the source is farthest off, two
    ///                    triangles each; half of what is left in each round, all in the last one; fewer where
    ///                    nothing may be split. An odd one goes to a border.
    /// @param spare       vertices of those that are kept for where the limit says that the level is too far off
    /// @param limit       kept to where there are vertices to put in
    /// @throws Cancelled
    void improve(int rounds, std::size_t triangles, std::size_t spare, const Limit& limit, const Progress& progress);

    /// The new vertices since the last time; the level has positions, influences and blend shapes for them.
    std::vector<Birth> finish();

    /// Goes on with a coarser level that came out of this one, and what is known of its surface goes along.
    /// @param into  for each vertex of the level as it was, where it went, or `noIndex`
    void goOn(Mesh level, Provenance provenance, const std::vector<VertexId>& into, const Sampling& sampling);

    /// How far off the source's vertices were, squared, on average, when closest places were found last.
    double meanSquared() const { return m_meanSquared; }

private:
    // Nor may one beside a line face away from the source more than this says, if it did so less.
    static constexpr double leastFacing = 0.35;

    // Places farther off than so many times the root mean square are far off.
    static constexpr double farOff = 3;

    // What is to be mended seems to be so far off at first, as a share of what it is.
    static constexpr double lookFrom = 0.7;

    // Patches are to come closer than is asked: they are looked at in so many places only.
    static constexpr double closerYet = 0.85;

    // A vertex of the source, with its closest place on the level.
    struct Sample {
        VertexId vertex = 0;
        float weight = 0;  // area
        TriangleId triangle = 0;
        float second = 0, third = 0;
        float distance = 0;

        TrianglePoint at() const { return {second, third}; }
    };

    struct NearestSample {
        std::uint32_t sample = noIndex;
        double squaredDistance = std::numeric_limits<double>::max();
    };

    // A place of the level, and the place of the source that it should be at, or the other way round.
    struct FarPlace {
        float distance = 0, area = 0;  // of the triangle, doubled
        TriangleId triangle = 0;
        TrianglePoint at;
        Vec3d onSource = Vec3d::Zero();

        // The farthest on top of a heap; ties by number, so that the order is always the same.
        bool operator<(const FarPlace& other) const {
            if (distance != other.distance) return distance < other.distance;
            return area != other.area ? area < other.area : triangle > other.triangle;
        }
    };

    // Opposite to a vertex in one of its triangles, in its turn.
    using Side = std::pair<VertexId, VertexId>;

    // A vertex to be put in.
    struct Split {
        TriangleId triangle = 0;
        std::size_t corner = 0;  // opposite to the edge that is split, if one is
        Beyond beyond;
        bool isOnEdge = false;
        TrianglePoint at;
        std::vector<Side> sides;
        Vec3d place = Vec3d::Zero();

        bool touches(const std::vector<std::uint8_t>& touched) const {
            return std::any_of(sides.begin(), sides.end(), [&](const Side& side) { return touched[side.first] != 0; });
        }
        void touch(std::vector<std::uint8_t>& touched) const {
            for (const Side& side : sides) touched[side.first] = 1;
            touched.push_back(1);
        }
    };

    // A triangle, and how far off it or the source's points at it are; and where.
    struct FarTriangle {
        double squaredDistance = 0;
        TriangleId triangle = 0;
        TriangleId on = noIndex;  // that one, or one of the source; none at a vertex of the source
        bool isOnSource = false;
        TrianglePoint at;
    };

    // For far places, on both surfaces.
    struct FarSearch {
        double least;                              // what is closer does not count
        double doubtful;                           // triangles whose samples are farther off are looked at all over
        const std::vector<std::uint8_t>& isWhere;  // of each triangle, if it is not to be everywhere
        std::vector<Vec3f> normals;                // of each triangle
        std::vector<FarTriangle> found;            // for each triangle, the farthest so far

        bool isLookedAt(TriangleId t) const { return isWhere.empty() || isWhere[t] != 0; }
        void note(const FarTriangle& far) {
            if (far.squaredDistance > found[far.triangle].squaredDistance) found[far.triangle] = far;
        }
    };

    // What is to come closer at a far place together.
    struct Piece {
        std::vector<TriangleId> triangles;  // ordered
        FarTriangle far;
    };

    // A point of a protected line of the source, with its closest place on the level's line from a to b.
    struct LineSample {
        Vec3f point;
        float weight = 0;
        VertexId a = 0, b = 0;
        float share = 0;  // of b
        bool isUsed = false;
    };

    Vec3d place(VertexId v) const { return m_level.positions[v].cast<double>(); }
    std::array<Vec3d, 3> cornersOf(TriangleId t) const {
        const Triangle& triangle = m_level.triangles[t];
        return {place(triangle[0]), place(triangle[1]), place(triangle[2])};
    }
    Vec3d sourcePlace(std::size_t s) const { return m_from.mesh.positions[s].cast<double>(); }
    Vec3d placeOf(const Sample& sample) const { return sourcePlace(sample.vertex); }

    void placeProbes();
    void takeSamples();
    void thinSamples();
    void thinGroup(VertexId at, std::span<const std::uint32_t> samples, std::vector<std::uint8_t>& isKept);
    void takeLineSamples();
    void followLine(LineSample& sample) const;
    void connect();
    void findFirstClosest(const Progress& progress);
    void findClosest(const Progress& progress);
    void findClosestOfChanged(const Progress& progress);
    void insertVertices(std::size_t count, bool isCareful, const Progress& progress);
    double offSquared(TriangleId t, const Vec3d& p, double known) const;
    Closest closestOnLevel(const Vec3d& p, TriangleId near, double known) const;
    void lookAtLevel(FarSearch& search, const Progress& progress) const;
    void lookBetweenSamples(FarSearch& search, const Progress& progress) const;
    void lookBesideSamples(FarSearch& search, const Groups& sourceVertices, const Progress& progress) const;
    void lookCloser(FarTriangle& far) const;
    std::vector<FarTriangle> farTriangles(double least, double doubt, std::size_t most,
                                          const std::vector<std::uint8_t>& isMended, const Groups& sourceVertices,
                                          const Progress& progress) const;
    std::size_t patches() const;
    std::vector<TriangleId> trianglesAround(TriangleId t) const;
    Groups sourceByVertex() const;
    std::vector<TriangleId> sourceTrianglesAt(const std::vector<TriangleId>& triangles, double goal) const;
    void addSource(const Piece& piece, const std::vector<VertexId>& vertices, double goal, const Groups& sourceVertices,
                   const std::vector<Sphere>& spheres, Patch::Content& content) const;
    Patch::Content contentOf(const Piece& piece, double goal, const Groups& sourceVertices,
                             const std::vector<Sphere>& spheres) const;
    std::vector<Patch::Line> linesIn(const std::vector<TriangleId>& triangles,
                                     const std::vector<VertexId>& vertices) const;
    void take(const PatchStep& step, std::vector<TriangleId>& triangles, std::vector<VertexId>& vertices);
    std::vector<Piece> piecesAt(std::vector<FarTriangle>& far, double goal, std::size_t most,
                                const std::vector<std::uint8_t>& isDone) const;
    std::vector<std::vector<PatchStep>> stepsIn(const std::vector<Piece>& pieces, double goal,
                                                const PatchLimits& limits, const Groups& sourceVertices,
                                                const Progress& progress) const;
    std::size_t take(const std::vector<Piece>& pieces, const std::vector<std::vector<PatchStep>>& steps,
                     std::size_t most, std::vector<std::uint8_t>& isDone);
    std::size_t mendInTurns(std::vector<FarTriangle> far, double least, std::size_t patches, double moreSquares,
                            std::size_t most, const Groups& sourceVertices, std::vector<std::uint8_t>& isMended,
                            const Progress& progress);
    std::size_t mendFarthest(std::size_t count, const Progress& progress);
    std::size_t mendFartherThan(double within, std::size_t count, const Progress& progress);
    FarTriangle farTriangleAt(const TooFar& there) const;
    bool mendAt(const std::vector<TooFar>& places, const Limit& limit, std::size_t& count, const Progress& progress);
    std::size_t mendWhereFound(const Limit& limit, std::size_t count, const Progress& progress);
    Mesh shape() const;
    std::vector<FarPlace> farSamples() const;
    Split splitAt(const FarPlace& far, bool isLifted) const;
    bool leavesFartherOff(const Split& split, double distance) const;
    bool runsFartherOff(const Split& split, double distance) const;
    std::size_t insertAt(std::vector<FarPlace> places, std::size_t most, bool isCareful);
    void insert(const Split& split);
    void markChanged(TriangleId t);
    void insertOnBorder(bool isCareful, const Progress& progress);
    void insertOnLine(VertexId a, VertexId b, VertexId v);
    WedgeId nextWedge() const { return WedgeId(m_provenance.levelWedges + m_births.size()); }
    void flipEdges(const Progress& progress);
    void moveVertices(const Progress& progress);
    void lookForNearest(TriangleId t, const Vec3d& p, NearestSample& best) const;
    TriangleId sourceTriangleNear(TriangleId t, const Vec3d& p) const;
    TriangleId hitNear(TriangleId t, const Vec3d& p) const;
    TriangleId sourceTriangleNearVertex(VertexId v) const;
    TriangleId closestAround(const NearestSample& nearest, const Vec3d& p) const;
    static void set(Sample& sample, const Closest& closest);
    void follow(Sample& sample) const;
    void freeStuckSamples(const Progress& progress);
    void sumUpErrors();
    void groupSamples();
    void groupByTriangle();
    void groupLineSamples();
    Kind kindOf(VertexId v) const {
        return v < m_provenance.levelKinds.size() ? m_provenance.levelKinds[v] : Kind::Interior;
    }
    bool isHeld(VertexId v) const { return kindOf(v) > Kind::Feature; }
    bool isOnLine(VertexId v) const { return kindOf(v) >= Kind::Feature; }
    bool isFixed(VertexId a, VertexId b) const;
    bool mayBeSplit(TriangleId t) const;
    bool mayBeSplit(VertexId a, VertexId b) const;
    Vec3d lifted(const std::vector<Side>& sides, const Vec3d& from, const Vec3d& to) const;
    void lift(VertexId v, const Vec3d& to);
    void bringBackFarthest(double farDistance);
    double offAtMiddle(VertexId a, VertexId b, TriangleId t) const;
    bool mayFlip(TriangleId t, std::size_t k, const Beyond& beyond) const;
    double gainOfFlip(TriangleId t, std::size_t k, const Beyond& beyond) const;
    void flip(TriangleId t, std::size_t k, const Beyond& beyond);
    void take(const std::vector<Vec3f>& steps);
    void takeBackWorse(const std::vector<Vec3f>& steps, double farDistance);
    void limitSteps(std::vector<Vec3f>& steps) const;
    void shortenBadSteps(std::vector<Vec3f>& steps) const;
    bool isBadTurn(TriangleId t, const std::vector<Vec3f>& steps) const;

    Mesh m_level;
    const PolishSource& m_from;
    Provenance m_provenance;
    VertexTriangles m_around;
    Sampling m_sampling;
    std::vector<TriangleProbe> m_probes;
    double m_cornerPart = 0;  // of a triangle's area, for each of its corners as a probe
    // Triangles of the source, closest to each probe of each triangle and to each vertex; none if not known.
    std::vector<TriangleId> m_hits, m_vertexHits;
    std::vector<std::uint16_t> m_sections;
    std::vector<float> m_offs;   // of each triangle's probes and corners, the farthest before the step
    double m_worstAtStart = -1;  // how far off anything was before the first step; below 0 until then
    std::vector<Sample> m_samples;
    bool m_isPlaced = false;            // whether a closest place is known of all samples
    bool m_isCurrent = false;           // and is of the level as it is now
    Groups m_samplesAt;                 // each triangle
    std::vector<TriangleId> m_changed;  // since closest places were found
    std::vector<Box3f> m_boxes;         // of the samples at each triangle
    std::vector<float> m_farthest;      // of the samples at each triangle
    double m_meanSquared = 0;           // of the samples' distances, weighted
    std::vector<double> m_errors;       // of each triangle: the sum of its samples' weighted squared distances
    std::vector<std::vector<VertexId>> m_lineNeighbours;  // of each vertex on lines, by m_lineNumber
    std::vector<std::uint32_t> m_lineNumber;
    std::vector<LineSample> m_lineSamples;
    std::vector<Birth> m_births;
    Groups m_lineSamplesAt;  // each triangle
    // Of the source, and of the level as it is, while it is mended where it was found to be too far off: what a walk
    // does not find would be in the way of its patch.
    std::shared_ptr<const TriangleTree> m_sourceTree, m_levelTree;
};

}  // namespace um
