#pragma once
/// Materials that look nearly the same, so that one of them could stand for all: a draw call less without any sheet.
#include "base/Progress.h"
#include "mesh/Mesh.h"

namespace um {

enum class Alikeness : unsigned char {
    Nearly,     ///< pictures have one size and differ by less than 3 of 255 on average
    OnTheWhole  ///< pictures are as bright, coloured and varied, whatever their sizes and patterns: for a person to
                ///< judge
};

/// Groups of two or more, each in the order of the mesh's materials; a group's first one could stand for the others.
/// Materials without triangles are left out. Alike are those that are drawn in the same way, of which no factor differs
/// by more than a fiftieth, and whose pictures are alike; what cannot be read is like nothing but itself.
/// @throws Cancelled
std::vector<std::vector<std::uint32_t>> findAlikeMaterials(const Mesh& mesh, Alikeness alikeness,
                                                           const Progress& progress);

/// The first of each group in the place of all. Triangles are grouped anew by part and material.
void joinAlikeMaterials(Mesh& mesh, const std::vector<std::vector<std::uint32_t>>& groups);
Mesh withStandIns(Mesh mesh, const std::vector<std::vector<std::uint32_t>>& groups);

}  // namespace um
