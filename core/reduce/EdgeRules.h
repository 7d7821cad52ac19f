#pragma once
/// Whether an edge may be contracted.
#include "reduce/EdgeCost.h"

#include <cmath>

namespace um {

/// How strict a contraction is. The later ones are tried only where the earlier ones find nothing more.
enum class Strictness : std::uint8_t {
    Careful,    ///< no needles outside flat places, triangles keep their direction within 60 degrees
    Relaxed,    ///< needles are allowed
    LastResort  ///< where several protected lines meet, their junctions may be joined along them
};

/// The least cosine between a triangle's normals before and after one contraction. Wider turns would add up to folds.
inline constexpr double leastTurn = 0.5;

/// A triangle's 2 sqrt(3) |normal| / (sum of squared edges), which is 1 for an equilateral one: below this, it is a
/// needle.
inline constexpr double needleQuality = 0.04;
inline double shapeOf(const Vec3d& a, const Vec3d& b, const Vec3d& c) {
    const double edges = (b - a).squaredNorm() + (c - b).squaredNorm() + (a - c).squaredNorm();
    return edges > 0 ? 2 * std::sqrt(3.0) * areaNormal(a, b, c).norm() / edges : 0;
}

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
