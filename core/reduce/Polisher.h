#pragma once
/// Moving the vertices of a level, flipping its edges and putting vertices in, to lie closer to its source.
#include "base/Parallel.h"
#include "reduce/Insertion.h"
#include "reduce/Polish.h"

#include <cmath>

namespace um {

// 1 for an equilateral triangle, 0 for a needle.
inline double shapeOf(const Vec3d& a, const Vec3d& b, const Vec3d& c) {
    const double edges = (b - a).squaredNorm() + (c - b).squaredNorm() + (a - c).squaredNorm();
    return edges > 0 ? 2 * std::sqrt(3.0) * areaNormal(a, b, c).norm() / edges : 0;
}

// Points inside a level's triangle that are held against the source, by their shares of the second and third corner,
// with their part of the area.
struct TriangleProbe {
    double second, third, part;
};

// How densely a level and its source are held against one another.
struct Sampling {
    // Of the source's vertices that have gone into one vertex of the level, at least so many are samples.
    std::uint32_t enoughForVertex = 24;
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
/// flips in PolishFlips.cpp, new vertices in PolishSplits.cpp.
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
    /// @throws Cancelled
    void improve(int rounds, std::size_t triangles, const Progress& progress);

    /// The new vertices since the last time; the level has positions, influences and blend shapes for them.
    std::vector<Birth> finish();

    /// Goes on with a coarser level that came out of this one, and what is known of its surface goes along.
    /// @param into  for each vertex of the level as it was, where it went, or `none`
    void goOn(Mesh level, Provenance provenance, const std::vector<VertexId>& into, const Sampling& sampling);

    /// How far off the source's vertices were, squared, on average, when closest places were found last.
    double meanSquared() const { return m_meanSquared; }

private:
    // A step that would turn a triangle by more than this cosine says is shortened.
    static constexpr double leastTurn = 0.5;

    // Nor may one beside a line face away from the source more than this says, if it did so less.
    static constexpr double leastFacing = 0.35;

    // Places farther off than so many times the root mean square are far off.
    static constexpr double farOff = 3;

    // A triangle's shape: 2 sqrt(3) |normal| / (sum of squared edges). Below this, no step may make it worse.
    static constexpr double needleQuality = 0.04;

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
        std::uint32_t sample = none;
        double squaredDistance = std::numeric_limits<double>::max();
    };

    // A place of the level, and the place of the source that it should be at, or the other way round.
    struct FarPlace {
        float distance = 0, area = 0;  // of the triangle, doubled
        TriangleId triangle = 0;
        TrianglePoint at;
        Vec3d onSource = Vec3d::Zero();
        bool isMiddle = false;  // of an edge

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

    // New triangles in the stead of old ones, with the middles of the edges between them.
    struct Renewal {
        std::vector<TriangleId> old;
        std::vector<std::array<Vec3d, 3>> triangles;
        std::vector<Vec3d> middles;
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
    void insertVertices(std::size_t count, const Progress& progress);
    void mendFarthest(std::size_t count, const Progress& progress);
    std::vector<FarPlace> farSamples() const;
    std::vector<FarPlace> farMiddles(double least) const;
    Split splitAt(const FarPlace& far) const;
    Renewal renewalBy(const Split& split) const;
    Renewal renewalByFlip(TriangleId t, std::size_t k, const Beyond& beyond) const;
    bool isCloser(const Renewal& renewal, double before) const;
    bool flipAt(const FarPlace& far, std::vector<std::uint8_t>& touched);
    std::size_t mend(std::vector<FarPlace> places, std::size_t most);
    std::size_t insertAt(std::vector<FarPlace> places, std::size_t most);
    void insert(const Split& split);
    void markChanged(TriangleId t);
    void insertOnBorder(const Progress& progress);
    void insertOnLine(VertexId a, VertexId b, VertexId v);
    WedgeId nextWedge() const { return WedgeId(m_provenance.levelWedges + m_births.size()); }
    void flipEdges(const Progress& progress);
    void moveVertices(const Progress& progress);
    void lookForNearest(TriangleId t, const Vec3d& p, NearestSample& best) const;
    TriangleId sourceTriangleNear(TriangleId t, const Vec3d& p) const;
    TriangleId hitNear(TriangleId t, const Vec3d& p) const;
    TriangleId sourceTriangleNearVertex(VertexId v) const;
    TriangleId closestAround(const NearestSample& nearest, const Vec3d& p) const;
    Closest closestOnSource(const Vec3d& p, TriangleId near, double farSquared) const;
    Vec3d placeOnSource(const Closest& closest) const {
        const Triangle& hit = m_from.mesh.triangles[closest.triangle];
        return closest.at.of(sourcePlace(hit[0]), sourcePlace(hit[1]), sourcePlace(hit[2]));
    }
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
    bool mayBeSplit(TriangleId t) const;
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
    std::vector<std::pair<TriangleId, std::uint32_t>> m_lineSampleByTriangle;  // ordered
};

}  // namespace um
