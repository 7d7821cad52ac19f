#pragma once
/// Pivot, up axis and unit of a mesh.
#include "mesh/Mesh.h"

namespace um {

enum class Pivot : unsigned char {
    Kept,
    Ground,  ///< in the middle of its box, at the bottom
    Centre   ///< in the middle of its box
};
enum class UpAxis : unsigned char { Y, Z };

struct Placement {
    Pivot pivot = Pivot::Kept;
    UpAxis up = UpAxis::Y;     ///< sources stand along y; z turns them so that they look the same there
    double metresPerUnit = 0;  ///< of what is written; 0 keeps the unit

    bool operator==(const Placement&) const = default;
};

/// Turns a mesh a quarter about x, exactly: what stood along z stands along y, and the other way round. Skeleton and
/// blend shapes go along.
void standUpAlongY(Mesh& mesh);
void standUpAlongZ(Mesh& mesh);
/// The same for a point.
Vec3f turned(const Vec3f& place, bool toZ);

/// The mesh with a new pivot, axis and unit; skeleton and blend shapes are converted too.
/// @param box  by which the pivot is set, in the mesh's coordinates: that of the first level, so that all of a chain
///             move alike
Mesh placed(const Mesh& mesh, const Placement& placement, const Box3f& box);

}  // namespace um
