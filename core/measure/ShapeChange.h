#pragma once
/// Change of shading normals, area and volume.
#include "base/Progress.h"
#include "mesh/Mesh.h"

namespace um {

struct ShapeChange {
    double meanTurn = 0, p95Turn = 0;  ///< degrees between the shading normals, over the source's area
    double areaRatio = 1;              ///< of the level to the source
    double volumeRatio = 1;            ///< of the enclosed volumes; 1 where the source encloses none
};

/// At the middle of each triangle of the source (of at most a million of them, evenly through the file), the shading
/// normal is compared with the level's at the closest point: the file's own normals where there are some, else
/// those of smooth shading.
/// @throws MeshError  if the level has no area
/// @throws Cancelled
ShapeChange measureShapeChange(const Mesh& source, const Mesh& level, const Progress& progress);

}  // namespace um
