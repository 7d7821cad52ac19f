#pragma once
/// Whether an edge may be contracted.
#include "reduce/EdgeCost.h"

namespace um {

/// How strict a contraction is. The later ones are tried only where the earlier ones find nothing more.
enum class Strictness : std::uint8_t {
    Careful,    ///< no needles outside flat places, triangles keep their direction within 60 degrees
    Relaxed,    ///< needles are allowed
    LastResort  ///< where several protected lines meet, their junctions may be joined along them
};

/// Whether the kinds and lines at both ends let the edge be contracted at all.
bool kindsAllow(const WorkingMesh& mesh, VertexId u, VertexId v, Strictness strictness);

/// Room for the lists of one question, to be used again for the next.
struct RuleScratch {
    Fan around, otherAround;
    std::vector<VertexId> ring, otherRing;
};

/// The number of triangles that contracting v into u at its best place would take away; 0 if it may not be: if it would
/// change the topology (link condition), turn a triangle over, or run against what is protected. Source: Dey,
/// Edelsbrunner, Guha & Nekhayev 1999.
int allowedRemoval(const WorkingMesh& mesh, VertexId u, VertexId v, const EdgeCost& best, Strictness strictness,
                   RuleScratch& scratch);

}  // namespace um
