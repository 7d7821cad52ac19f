#pragma once
/// The last stretch of a reduction, down to the target: polished and contracted in turns.
#include "reduce/Contraction.h"
#include "reduce/Limit.h"
#include "reduce/Polisher.h"

namespace um {

/// What a descent takes care of.
struct DescentSettings {
    Treatment treatment;  ///< its factors are those of the source's vertices, its knownKinds are not looked at
    std::vector<std::size_t> leastOfParts;
    std::vector<LineEdge> sourceLines;
    std::size_t sourceTriangles = 0;  ///< of the source, before it was thinned
    bool mindsFarPlaces = true;       ///< whether contractions to places far off are dearer
    bool isPatient = false;           ///< whether rungs are closer, and what is coarse is polished longer
};

/// Whether a reduction goes so far down that its source is better thinned at first (Contraction::thin): what stands in
/// for it is so much finer than the level that nothing is lost by it.
bool startsThinned(std::size_t target, std::size_t sourceTriangles);

/// What errors count by at the vertices of a level: the mean of the source's vertices that have gone into each.
/// @param ofSource  empty where there are none; then there are none for the level
std::vector<float> factorsOfLevel(const std::vector<float>& ofSource, const std::vector<VertexId>& destinations,
                                  std::size_t levelVertices);

/// The triangles at which a contraction should pause for a descent to the target: never more for a lower target.
std::size_t startOfDescent(std::size_t target, std::size_t sourceTriangles);

/// Whether that is where descents to all lower targets start too, of those that start thinned or of those that do not.
bool sharesStart(std::size_t target, std::size_t sourceTriangles);

/// A surface on its way down. Where the vertices lie as close to the source as they can, the cost of contracting an
/// edge is counted anew from the surface that there is: a vertex that does little there goes, and the others take over;
/// what has been done up to here is not held against them. Coarse levels of a source all go down the same rungs, each
/// polished and a little lower than the one before, and leave at the last above their target; so do the coarsest, from
/// a thinned source. So a level does not depend on what others are made.
/// Source: contraction without memory after Lindstrom & Turk 1998, IEEE Visualization: fast and memory efficient
/// polygonal simplification.
class Descent {
public:
    /// Keeps references to `source` and `settings`.
    /// @param from  a contraction of source.mesh, paused where the descent starts, after finish(); it may go then
    Descent(const Contraction& from, const PolishSource& source, const DescentSettings& settings);

    std::size_t triangles() const { return m_polisher.level().triangleCount(); }

    /// Polishes what there is, and goes down the rungs above the target, as far as can be.
    /// @returns whether the last of them was reached
    /// @throws Cancelled
    bool approach(std::size_t target, const Progress& progress);

    /// Leaves the rungs for the target, or as near to it as can be, and polishes what has not been; at that, vertices
    /// are put in where the source is farthest off, and the level is kept to the limit. What lies below the target
    /// already stays as it is.
    /// @throws Cancelled
    Mesh finish(std::size_t target, const Limit& limit, const Progress& progress) &&;

private:
    // What a contraction leaves for the polish to put in.
    struct Filling {
        std::size_t triangles = 0;
        bool isExact = false;   // whether what more is missing is put in as well
        std::size_t spare = 0;  // vertices of them that are kept for where the level is found to be too far off
    };

    void start(std::size_t target, const Progress& progress);
    // Whether anything has gone; where nothing may, nothing will further down.
    bool goTo(std::size_t count, int rounds, const Filling& filling, const Limit& limit, const Progress& progress);
    void contract(std::size_t count, const Progress& progress);
    void polish(int rounds, std::size_t missing, std::size_t spare, const Limit& limit, const Progress& progress);

    const PolishSource& m_source;
    const DescentSettings& m_settings;
    Polisher m_polisher;
    Attributes m_attributes;  // of the level's wedges, as contraction has left them
    bool m_isStarted = false;
};

}  // namespace um
