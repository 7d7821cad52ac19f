#pragma once
/// The working copy of a mesh while its edges are contracted: flat arrays, corners linked around each vertex, so that
/// a contraction allocates nothing.
#include "base/Progress.h"
#include "mesh/Mesh.h"
#include "reduce/Attributes.h"
#include "reduce/Protect.h"
#include "reduce/Quadric.h"

#include <span>

namespace um {

/// The corner k of triangle t is number 3 t + k.
using CornerId = std::uint32_t;

/// How freely a vertex may move.
enum class Kind : std::uint8_t {
    Interior,  ///< anywhere
    Feature,   ///< along the one protected line that runs through it
    Corner,    ///< not at all: an end or a junction of those, or something non-manifold
    Locked     ///< not at all, and it stays for ever
};

/// A neighbour of a vertex, with the corners of that vertex in the triangles on both sides of their edge.
struct Spoke {
    VertexId vertex = noIndex;
    CornerId out = noIndex;  ///< in the triangle where the neighbour comes next
    CornerId in = noIndex;   ///< in the triangle where it comes before
    bool broken = false;     ///< more than two triangles, or two that disagree about the outer side

    bool isBorder() const { return out == noIndex || in == noIndex; }
};

/// How places are treated.
struct Treatment {
    Protect protect;
    TopologyRule topology = TopologyRule::Stays;
    bool keepsNormals = false;         ///< whether normals are carried along, and count
    std::vector<float> factors;        ///< by which each vertex's error counts, or empty
    std::vector<std::uint8_t> locked;  ///< vertices that must stay, or empty
    /// Of each vertex, where they are known from before: a coarse surface has bends that are no creases. Or empty.
    std::vector<Kind> knownKinds;
    /// What is already known of the error at each vertex, counted from it, instead of what its triangles say; or empty.
    std::vector<StoredQuadric> knownQuadrics;
    /// Contractions to a place farther off than this from a plane that was there cost more, by the square of how many
    /// times farther; 0 where they do not.
    double farDistance = 0;
};

/// Vertices that are drawn together: each star into its centre, all at once.
struct Stars {
    std::vector<VertexId> centres;  ///< for each vertex the one that it goes into; itself if it stays
    std::vector<Vec3f> places;      ///< where each vertex that stays goes
};

class WorkingMesh {
public:
    WorkingMesh(const Mesh& source, const Treatment& treatment, const Progress& progress);

    TopologyRule topology() const { return m_topology; }
    double farDistance() const { return m_farDistance; }
    std::size_t vertexCount() const { return positions.size(); }
    bool isDead(TriangleId t) const { return triangles[t][0] == triangles[t][1]; }
    bool isUsed(VertexId v) const { return firstCorner[v] != noIndex; }

    /// Calls `visit(corner)` for each corner at `v`; it may not change the list.
    template <class Visit>
    void forCorners(VertexId v, const Visit& visit) const {
        for (CornerId c = firstCorner[v]; c != noIndex; c = nextCorner[c]) visit(c);
    }

    bool isLongerThan(VertexId v, std::size_t triangleCount) const;

    /// Whether the triangles around `v` are known to close rings, in which each neighbour comes next once.
    bool isRing(VertexId v) const {
        return kinds[v] == Kind::Interior && m_protect.borders != Protection::Off && m_topology == TopologyRule::Stays;
    }

    /// Whether the triangles around a vertex are few, close a ring and carry the same: a quick look that is enough for
    /// most.
    bool isPlainlyInside(VertexId v) const;
    static constexpr std::size_t mostOfPlain = 16;

    VertexId vertexAt(CornerId c) const { return triangles[c / 3][c % 3]; }
    VertexId nextOf(CornerId c) const { return triangles[c / 3][(c % 3 + 1) % 3]; }
    VertexId lastOf(CornerId c) const { return triangles[c / 3][(c % 3 + 2) % 3]; }
    WedgeId wedgeAt(CornerId c) const { return wedges[c / 3][c % 3]; }
    /// Whether two corners at a vertex have the same material, part and wedge.
    bool carriesSame(CornerId a, CornerId b) const {
        return sections[a / 3] == sections[b / 3] && (wedges.empty() || wedgeAt(a) == wedgeAt(b));
    }
    Vec3d place(VertexId v) const { return positions[v].cast<double>(); }

    /// Ask the memory for what is known of a vertex, in three steps: each needs what the one before has asked for.
    void fetch(VertexId v) const {
        __builtin_prefetch(&firstCorner[v]);
        __builtin_prefetch(&quadrics[v]);
        __builtin_prefetch(&positions[v]);
    }
    void fetchCorners(VertexId v) const {
        const CornerId c = firstCorner[v];
        if (c == noIndex) return;
        __builtin_prefetch(&triangles[c / 3]);
        __builtin_prefetch(&nextCorner[c]);
        if (!wedges.empty()) __builtin_prefetch(&wedges[c / 3]);
    }
    void fetchAttributes(VertexId v) const {
        if (!wedges.empty() && isUsed(v)) attributes.fetch(wedgeAt(firstCorner[v]));
    }

    /// The neighbours of `v`, in the order of its corners.
    void spokesOf(VertexId v, std::vector<Spoke>& spokes) const;

    /// How the edge from a vertex to that neighbour is protected.
    Protection protectionOf(const Spoke& spoke) const;
    Protection protectionOfEdge(VertexId u, VertexId v) const;

    /// The edges of all protected lines, each once.
    std::vector<std::pair<VertexId, VertexId>> lines() const;

    /// The wedges at u and v that a contraction would join, and those that stay alone; sums are seen from u and from
    /// the value of the first. What the change of value at v does to the quadric goes into `sum`.
    struct WedgeGroup {
        WedgeId atFirst, atOther;
        AttributeSums sums;
    };
    static constexpr std::size_t mostGroups = 16;
    std::size_t wedgeGroups(VertexId u, VertexId v, std::array<WedgeGroup, mostGroups>& groups, Quadric& sum) const;

    bool haveOneWedgeEach(VertexId u, VertexId v) const { return hasManyWedges[u] == 0 && hasManyWedges[v] == 0; }

    /// What mixing the influences of joints at both ends costs, as squared length times area.
    double skinCost(VertexId u, VertexId v) const;

    /// Moves `v` into `u`, which goes to `place` (counted from where it was). The edge's triangles die, and where the
    /// topology may change, those that fall together.
    /// @returns the number of triangles that died
    std::size_t contract(VertexId u, VertexId v, const Vec3d& place);

    /// The error of vertices that are joined with their neighbour `centre`, counted from it, with the best values for
    /// what they carry. All have one wedge.
    Quadric errorOfStar(VertexId centre, std::span<const VertexId> others) const;

    /// Draws stars of vertices that have one wedge each together. Corners are no longer linked until compact().
    /// @throws Cancelled
    void drawTogether(const Stars& stars, const Progress& progress);

    /// Drops dead triangles and vertices; the order of the others stays.
    /// @returns for each old vertex its new number, or `noIndex` if it is gone
    std::vector<VertexId> compact();

    /// What is left, as a mesh with the source's parts, materials and units.
    Mesh finish(const Mesh& source) const;

    std::vector<Vec3f> positions;
    std::vector<StoredQuadric> quadrics;  ///< each counted from its vertex
    std::vector<Kind> kinds;
    std::vector<Triangle> triangles;  ///< dead ones have equal corners
    std::vector<std::uint16_t> sections;
    std::vector<Triangle> wedges;             ///< empty where there is nothing to carry
    std::vector<std::uint8_t> hasManyWedges;  ///< whether a vertex may have more than one
    Attributes attributes;
    std::vector<Influences> influences;      ///< of each vertex, or empty
    std::vector<std::vector<Vec3f>> morphs;  ///< the offsets of each vertex, for each morph
    std::vector<CornerId> firstCorner;       ///< of each vertex
    std::vector<CornerId> nextCorner;        ///< of each corner, around the same vertex

private:
    void takeTriangles(const Mesh& source, bool carries);
    bool isAnyWedgeShared(std::size_t wedgeCount) const;
    void joinEqualWedges();
    void linkCorners();
    void prepareVertices(const Treatment& treatment);
    Kind kindOf(VertexId v, const std::vector<Spoke>& spokes, const Treatment& treatment) const;
    // The triangles at a vertex.
    struct Around {
        std::size_t count = 0;
        double area = 0;
        Vec3d normals = Vec3d::Zero();  // their sum, by area
    };

    Around addTriangles(VertexId v, Quadric& sum, std::vector<std::pair<WedgeId, Slopes>>& slopes) const;
    bool bendsBeyond(double cosine, const Spoke& spoke) const;
    void addCarried(CornerId c, const Vec3d& toNext, const Vec3d& toLast, double area,
                    std::vector<std::pair<WedgeId, Slopes>>& slopes) const;
    void addSquarePlanes(VertexId v, const Spoke& spoke, double weight, Quadric& sum) const;
    bool influencesChangeAt(VertexId v, const std::vector<Spoke>& spokes) const;
    void join(VertexId u, VertexId v, const Vec3d& to, double share);
    void joinWedges(VertexId u, VertexId v, const Vec3d& to, bool holdsValues, Quadric& sum);
    void addWedge(WedgeId first, WedgeId other, const Vec3d& apart, AttributeSums& sums, Quadric& sum) const;
    void unlink(VertexId v, TriangleId t);

    std::size_t dropFoldedTriangles(VertexId v);

    Protect m_protect;
    TopologyRule m_topology;
    double m_leastCreaseCosine;
    double m_farDistance;
    double m_skinScale = 0;  // the length that a complete change of joints counts as
};

/// Influences between a and b, those of b by `share`: at most the four strongest.
Influences blend(const Influences& a, const Influences& b, double share);

/// How much of the influence on a vertex is not there on another: 0 to 1.
double influenceDifference(const Influences& a, const Influences& b);

}  // namespace um
