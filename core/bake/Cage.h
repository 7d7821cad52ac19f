#pragma once
/// The room around a level in which its source is looked for, as deep as the two were measured to be apart.
#include "base/Progress.h"
#include "mesh/Mesh.h"

namespace um {

/// Of each vertex of a level.
struct Cage {
    std::vector<Vec3f> directions;  ///< outwards, unit length, smooth over creases so that no gap opens at them
    std::vector<float> depths;      ///< both ways, in the mesh's unit
};

/// A place where the cage is made so many times as deep; less and less towards the rim.
struct CagePush {
    Vec3f centre = Vec3f::Zero();
    float radius = 0, factor = 1;

    bool operator==(const CagePush&) const = default;
};

struct CageSettings {
    double factor = 1;             ///< on the depths that were measured
    double depth = 0;              ///< everywhere, instead of what was measured; in the mesh's unit, 0 for none
    std::vector<CagePush> pushes;  ///< one upon another

    bool operator==(const CageSettings&) const = default;
};

/// Depths follow the distances between the surfaces near each vertex, and a little more.
/// @throws MeshError  if the level has no area
/// @throws Cancelled
Cage makeCage(const Mesh& source, const Mesh& level, const CageSettings& settings, const Progress& progress);

/// Makes it deeper, or less deep, in some places. From a hundredth to a hundred times what it was.
void pushCage(Cage& cage, const Mesh& level, const std::vector<CagePush>& pushes);

/// The outer side of it as a surface, to be looked at.
Mesh cageMesh(const Mesh& level, const Cage& cage);

}  // namespace um
