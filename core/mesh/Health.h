#pragma once
/// Faults of a mesh, their places, and repairs.
#include "base/Progress.h"
#include "mesh/Connectivity.h"

#include <string>
#include <vector>

namespace um {

enum class Fault : std::uint8_t {
    Crack,            ///< border vertices that nearly coincide, as where parts were exported separately
    Hole,             ///< a closed loop of border edges
    NonManifoldEdge,  ///< where three triangles or more meet
    PinchedVertex,    ///< surfaces that touch in a single point
    Winding,          ///< an edge whose two triangles disagree about the outer side
    InsideOut,        ///< a closed piece that faces inwards, and is not the wall of a cavity
    ZeroArea,         ///< a triangle of no area
    Duplicate,        ///< a triangle on the same three vertices as an earlier one
    Needle,           ///< a triangle hundreds of times longer than wide
    Isolated,         ///< vertices that no triangle uses
    LooseBit,         ///< a loose piece smaller than a hundredth of the whole
    FarFromOrigin,    ///< coordinates so large that their precision is low
    OddUnit,          ///< an implausible size
    MissingUvs,       ///< no UVs
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

/// All faults, the gravest first. About a second for 2 M triangles.
/// @throws Cancelled
std::vector<Finding> findFaults(const Mesh& mesh, const Progress& progress);

/// "12 holes, the longest 4.3 mm around".
std::string describeFinding(const Finding& finding, double metresPerUnit);
/// Why it matters, in one sentence.
std::string whyItMatters(Fault fault);

/// The name of the repair ("Fill"), or empty where a repair is not safe.
std::string repairOf(Fault fault);

/// Whether a repair has a largest size: the length around a hole, the size of a bit, the width of a crack.
bool hasSize(Fault fault);
/// The default of that largest size, in the mesh's unit.
double usualSize(const Mesh& mesh, Fault fault);

/// For each piece whether it is smaller than `size` across.
std::vector<std::uint8_t> looseBits(const Mesh& mesh, const Pieces& pieces, double size);

/// Repairs a fault as far as possible: cracks are welded; holes of up to 1000 edges are
/// filled, with the smallest area (Barequet & Sharir 1995, Computer Aided Geometric Design 12: filling gaps in the
/// boundary of a polyhedron); pieces are turned so that neighbours agree, closed ones outwards; pieces that
/// are inside out are turned whole; zero-area and duplicate triangles, isolated vertices and loose bits are removed.
/// @param size  the largest size of repaired faults, in the mesh's unit
/// @returns the number of repaired faults
/// @throws Cancelled
std::size_t repairFault(Mesh& mesh, Fault fault, double size, const Progress& progress);

}  // namespace um
