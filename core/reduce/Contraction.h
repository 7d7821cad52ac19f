#pragma once
/// The working copy of a mesh while its edges are contracted: flat arrays, changed in passes of independent
/// contractions.
#include "base/Progress.h"
#include "mesh/Mesh.h"
#include "reduce/Quadric.h"

#include <span>

namespace um {

/// What a pass may do. The later stages are tried only where the earlier ones find nothing more.
enum class Strictness {
    Careful,    ///< no needles, triangles keep their direction within 60 degrees
    Relaxed,    ///< needles are allowed
    LastResort  ///< where several seams or borders meet, their junctions may be joined along them
};

class ContractionMesh {
public:
    /// Triangles that use a vertex twice are left out.
    ContractionMesh(const Mesh& source, const Progress& progress);

    std::size_t liveTriangles() const { return m_live; }

    /// Contracts a set of the cheapest edges that do not touch one another, never going below `target` triangles.
    /// @returns the number of triangles removed; 0 if there is no edge that may be contracted
    std::size_t pass(std::size_t target, Strictness strictness, const Progress& progress);

    /// Contracts the cheapest edge that removes exactly that many triangles: one at a border, two inside.
    /// @returns the number of triangles removed; 0 if there is no such edge
    std::size_t contractCheapest(int exactly, Strictness strictness, const Progress& progress);

    /// What is left, as a mesh with the source's parts, materials and units.
    Mesh finish(const Mesh& source);

private:
    /// How freely a vertex may move.
    enum class Kind : std::uint8_t {
        Interior,  ///< anywhere
        Feature,   ///< along the one border, seam or material limit that runs through it
        Corner     ///< not at all: an end or a junction of those, or something non-manifold
    };

    /// The best edge that a vertex would contract, the other end being merged into it.
    struct Candidate {
        float cost = 0;
        VertexId other = 0;
        Vec3f place = Vec3f::Zero();  ///< counted from the vertex
        std::uint16_t removes = 0;    ///< triangles; 0 if there is no such edge
    };

    struct Scratch;

    void classify();
    void sumQuadrics();
    void makeLists();
    void compact();
    void filterTouchedLists();
    void findCandidates(Strictness strictness, int exactly, const Progress& progress);
    std::vector<VertexId> withCandidate() const;
    Candidate bestCandidate(VertexId v, Strictness strictness, int exactly, Scratch& scratch) const;
    bool isAllowed(VertexId u, VertexId v, const Vec3d& place, Strictness strictness, std::uint16_t& removes,
                   Scratch& scratch) const;
    bool keepsShape(VertexId u, VertexId v, const Vec3d& place, Strictness strictness) const;
    bool hasOneWedge(VertexId v) const;
    bool isConstrainedEdge(VertexId u, VertexId v) const;
    void neighbours(VertexId v, std::vector<VertexId>& found) const;
    std::vector<VertexId> chooseForPass(Strictness strictness, const Progress& progress);
    std::vector<VertexId> chooseIndependent(std::vector<VertexId> candidates);
    void dropOutdated(std::vector<VertexId>& chosen);
    void contract(VertexId u);
    void mergeWedges(VertexId u, VertexId v, double share);
    std::uint64_t keyOf(VertexId u) const;

    std::span<const TriangleId> around(VertexId v) const { return {m_lists.data() + m_listBegin[v], m_listSize[v]}; }
    bool isDead(TriangleId t) const { return m_triangles[t][0] == m_triangles[t][1]; }

    std::vector<Vec3f> m_positions;
    std::vector<StoredQuadric> m_quadrics;  // each counted from its vertex
    std::vector<Kind> m_kinds;
    std::vector<Triangle> m_triangles;  // dead ones have equal corners
    std::vector<std::uint16_t> m_sections;
    std::vector<Triangle> m_wedges;  // empty where there is nothing to carry
    std::vector<Vec2f> m_uvs;
    std::vector<Color> m_colors;

    // The triangles around each vertex, in a pool: contraction puts the joined list into a fresh place.
    std::vector<TriangleId> m_lists;
    std::vector<std::uint32_t> m_listBegin;
    std::vector<std::uint32_t> m_listSize;
    std::size_t m_poolUsed = 0;
    std::vector<std::uint8_t> m_changes;  // around each vertex, since it was last looked at

    std::vector<Candidate> m_candidates;
    std::vector<std::uint64_t> m_claims;            // for each triangle, the least key of the candidates that want it
    Strictness m_strictness = Strictness::Careful;  // with which the candidates were found
    int m_exactly = 0;
    std::size_t m_live = 0;
};

}  // namespace um
