#pragma once
/// Which triangle lies beyond each edge, and what a cut along it would mean.
#include "bake/ChartSettings.h"
#include "mesh/Mesh.h"

#include <array>
#include <optional>

namespace um {

struct Neighbours {
    static constexpr TriangleId none = 0xffffffffu;

    std::vector<std::array<TriangleId, 3>> beyond;  ///< edge k from corner k on; none where one may not go over
    std::vector<std::array<double, 3>> lengths;     ///< of the edges
    std::vector<std::array<double, 3>> shows;       ///< the length of a cut there, less where it is hardly seen
    std::vector<std::array<bool, 3>> isCrease;      ///< sharper than asked for
    std::vector<Vec3d> areaNormals;                 ///< as long as the triangle's area
};

/// One may not go over edges where more than two triangles meet, or two that face opposite ways, or, if asked for,
/// where the mesh's own UVs part.
Neighbours findNeighbours(const Mesh& mesh, const ChartSettings& settings);

/// The place of a triangle among some, ascending; nothing if it is none of them.
std::optional<std::uint32_t> placeAmong(const std::vector<TriangleId>& triangles, TriangleId t);

/// Some of the triangles, ascending, by themselves, by their places in the list: one may not go to others.
Neighbours among(const Neighbours& around, const std::vector<TriangleId>& triangles);

/// The triangles of each piece; of one that falls apart, those of each part. Ascending.
std::vector<std::vector<TriangleId>> connectedGroups(const Neighbours& around,
                                                     const std::vector<std::uint32_t>& pieceOf);

}  // namespace um
