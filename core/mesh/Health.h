#pragma once
/// What is wrong with a mesh, where it is, and what can be done about it.
#include "base/Progress.h"
#include "mesh/Connectivity.h"

#include <string>
#include <vector>

namespace um {

enum class Fault : std::uint8_t {
    Hole,             ///< a closed run of edges that have one triangle only
    NonManifoldEdge,  ///< where three triangles or more meet
    PinchedVertex,    ///< where surfaces touch in one point only
    Winding,          ///< an edge whose two triangles disagree about the outer side
    ZeroArea,         ///< a triangle of no area
    Duplicate,        ///< a triangle on the same three vertices as an earlier one
    Needle,           ///< a triangle hundreds of times longer than wide
    Isolated,         ///< vertices that no triangle uses
    LooseBit,         ///< a loose piece smaller than a hundredth of the whole
    FarFromOrigin,    ///< coordinates whose size eats up their precision
    OddUnit,          ///< a size that hardly anything has
    MissingUvs        ///< nothing that textures could go by
};

struct Finding {
    Fault fault;
    std::size_t count = 0;
    double largest = 0;         ///< length around the longest hole, or size of the largest bit, in the mesh's unit
    std::vector<Vec3f> places;  ///< of each, the largest first, up to 1000

    bool operator==(const Finding&) const = default;
};

/// Everything that is found, the gravest first. About a second for 2 M triangles.
/// @throws Cancelled
std::vector<Finding> findFaults(const Mesh& mesh, const Progress& progress);

/// "12 holes, the longest 4.3 mm around".
std::string describeFinding(const Finding& finding, double metresPerUnit);
/// Why it matters, in one sentence.
std::string whyItMatters(Fault fault);

/// What repairing a fault would do ("Fill them"), or empty where that is not safe.
std::string repairOf(Fault fault);

/// For each piece whether it is smaller than a hundredth of the whole.
std::vector<std::uint8_t> looseBits(const Mesh& mesh, const Pieces& pieces);

/// Takes that fault out of a mesh, as far as it can be repaired: holes of up to 200 edges are filled, with the smallest
/// area (Barequet & Sharir 1995, Computer Aided Geometric Design 12: filling gaps in the boundary of a polyhedron);
/// pieces are turned so that neighbours agree, closed ones outwards; triangles and vertices that are nothing go away;
/// so do loose bits.
/// @returns how many of them were repaired
/// @throws Cancelled
std::size_t repairFault(Mesh& mesh, Fault fault, const Progress& progress);

}  // namespace um
