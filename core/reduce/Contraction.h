#pragma once
/// Contracting the edges of a working mesh, cheapest first, in many regions at once.
#include "reduce/EdgeRules.h"

namespace um {

/// A mesh on its way down. The surface is cut into regions; within each, edges below a common limit of cost are
/// contracted in the order of their cost, apart from the rim, whose turn comes when the next round cuts differently. So
/// the order holds over the whole surface up to the rounds' limits, and the result does not depend on the number of
/// threads.
class Contraction {
public:
    /// @param source        that the working mesh is a copy of
    /// @param leastOfParts  triangles that each part keeps at least, or empty
    Contraction(WorkingMesh mesh, const Mesh& source, std::vector<std::size_t> leastOfParts);

    const WorkingMesh& mesh() const { return m_mesh; }
    std::size_t triangles() const { return m_live; }

    /// The first stretch, for where most is to go: draws stars of vertices together, which leaves a third to a half of
    /// the triangles, or all where nothing may be drawn together. Sooner than contractTo(), if not as well chosen.
    /// @param share  of the vertices that could go, those that do: the less, the closer is what is left
    /// @throws Cancelled
    void thin(double share, const Progress& progress);

    /// Contracts until at most `target` triangles are left, exactly or, where parity forces it, one fewer.
    /// @returns whether that was reached
    bool contractTo(std::size_t target, const Progress& progress, Strictness loosest = Strictness::LastResort);

    /// What there is, after finish(): to go on from as from a source.
    WorkingMesh takeMesh() && { return std::move(m_mesh); }

    /// Drops what is dead; from here the numbers of destinations() are those of finished meshes.
    void finish();

    /// After finish(): for each vertex there was at the start, the vertex of mesh() that it went into, or `noIndex` if
    /// all its triangles are gone.
    std::vector<VertexId> destinations() const;

private:
    struct Entry;
    struct Region;
    struct Round;
    struct Scratch;

    std::size_t round(std::size_t target, Strictness strictness, bool isFine, const Progress& progress);
    void findCheapest(const Progress& progress);
    bool isAnyEdgeLeft() const;
    float limitFor(std::size_t vertices) const;
    std::size_t cut(std::size_t count);
    std::vector<Region> regionsBelow(float limit, std::size_t count) const;
    void markRims();
    void fetchNext(const std::vector<Entry>& known) const;
    void contractRegion(Region& region, const Round& round, const Progress& progress);
    bool takeFromParts(Region& region, VertexId u, VertexId v) const;
    std::vector<std::uint8_t> scarceSections() const;
    void shareLeastOfParts(std::vector<Region>& regions) const;
    bool takeBorderTriangle(Strictness strictness);
    void compact();
    Entry cheapestOf(VertexId v, const Entry* above, Scratch& scratch) const;
    void consider(VertexId v, const Entry* above, Scratch& scratch);

    enum class Knowledge : std::uint8_t {
        None,    // something near has changed since
        Full,    // the vertex's cheapest edge is known
        Refused  // the cheapest is known of those that have not been refused
    };

    WorkingMesh m_mesh;
    std::size_t m_live = 0;
    std::vector<float> m_leastCosts;        // of each vertex's edges to higher neighbours
    std::vector<VertexId> m_cheapest;       // the neighbours that those edges lead to
    std::vector<Knowledge> m_knowledge;     // of both
    std::vector<std::uint32_t> m_regionOf;  // of each vertex in this round; `noIndex` on a rim
    std::vector<VertexId> m_mergedInto;     // of each vertex since the last compaction
    // Of each compaction: where each vertex that there had been went, by the numbers of those it left, or `noIndex`.
    std::vector<std::vector<VertexId>> m_paths;
    std::vector<std::size_t> m_trianglesOfParts, m_leastOfParts;
    std::vector<std::uint32_t> m_partOfSections;
    std::uint32_t m_rounds = 0;
};

}  // namespace um
