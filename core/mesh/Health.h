#pragma once
/// What is wrong with a mesh, where it is, and what can be done about it.
#include "base/Progress.h"
#include "mesh/Connectivity.h"

#include <string>
#include <vector>

namespace um {

enum class Fault : std::uint8_t {
    Crack,            ///< border vertices that lie all but together, as where parts were exported apart
    Hole,             ///< a closed run of edges that have one triangle only
    NonManifoldEdge,  ///< where three triangles or more meet
    PinchedVertex,    ///< where surfaces touch in one point only
    Winding,          ///< an edge whose two triangles disagree about the outer side
    InsideOut,        ///< a closed piece that faces inwards, and is not the wall of a cavity
    ZeroArea,         ///< a triangle of no area
    Duplicate,        ///< a triangle on the same three vertices as an earlier one
    Needle,           ///< a triangle hundreds of times longer than wide
    Isolated,         ///< vertices that no triangle uses
    LooseBit,         ///< a loose piece smaller than a hundredth of the whole
    FarFromOrigin,    ///< coordinates whose size eats up their precision
    OddUnit,          ///< a size that hardly anything has
    MissingUvs,       ///< nothing that textures could go by
    OverlappingUvs,   ///< triangles of one material over each other in the texture
    StretchedUvs,     ///< the texture several times as fine in one direction as in the other
    LargeTexture,     ///< more texels than pixels where it is seen; of a distance, not found by findFaults
    SheetHog          ///< a part that takes far more of a sheet than it shows; of a bake, not found by findFaults
};

struct Finding {
    Fault fault;
    std::size_t count = 0;
    double largest = 0;  ///< length around the longest hole, size of the largest bit, width of the widest crack, in
                         ///< the mesh's unit; share of the UVs that overlap, of the area that is stretched
    std::vector<Vec3f> places;  ///< of each, the largest first, up to 1000
    std::string detail;         ///< what else is to be said

    bool operator==(const Finding&) const = default;
};

/// Everything that is found, the gravest first. About a second for 2 M triangles.
/// @throws Cancelled
std::vector<Finding> findFaults(const Mesh& mesh, const Progress& progress);

/// "12 holes, the longest 4.3 mm around".
std::string describeFinding(const Finding& finding, double metresPerUnit);
/// Why it matters, in one sentence.
std::string whyItMatters(Fault fault);

/// What repairing a fault would do ("Fill"), or empty where that is not safe.
std::string repairOf(Fault fault);

/// Whether a repair goes up to a size that can be said: of holes around, of bits across, of cracks in width.
bool hasSize(Fault fault);
/// The size up to which that repair goes if nothing else is said, in the mesh's unit.
double usualSize(const Mesh& mesh, Fault fault);

/// For each piece whether it is smaller than `size` across.
std::vector<std::uint8_t> looseBits(const Mesh& mesh, const Pieces& pieces, double size);

/// Takes that fault out of a mesh, as far as it can be repaired: cracks are welded; holes of up to 1000 edges are
/// filled, with the smallest area (Barequet & Sharir 1995, Computer Aided Geometric Design 12: filling gaps in the
/// boundary of a polyhedron); pieces are turned so that neighbours agree, closed ones outwards; pieces that
/// are inside out are turned whole; triangles and vertices that are nothing go away; so do loose bits.
/// @param size  up to which faults that have one are repaired, in the mesh's unit
/// @returns how many of them were repaired
/// @throws Cancelled
std::size_t repairFault(Mesh& mesh, Fault fault, double size, const Progress& progress);

}  // namespace um
