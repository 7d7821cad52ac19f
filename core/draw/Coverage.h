#pragma once
/// The outline of a mesh as a picture: which share of each pixel it covers.
#include "draw/Contour.h"

#include <cstdint>
#include <vector>

namespace um {

struct CoverageMask {
    int width = 0;
    int height = 0;
    std::vector<std::uint8_t> coverage;  ///< rows from the top, 0 nothing … 255 wholly covered

    std::uint8_t at(int x, int y) const { return coverage[std::size_t(y) * std::size_t(width) + std::size_t(x)]; }
};

/// Draws a mesh without perspective, looking along -z after `turn`, y up, 4x4 samples a pixel. The picture is cropped
/// to the mesh, with a pixel of margin.
/// @param pixelsPerUnit  how many pixels one unit of the mesh covers; the picture may have at most 8192 x 8192
/// @throws MeshError  if it would be larger
CoverageMask drawCoverage(const ContourMesh& contour, const Eigen::Matrix3d& turn, double pixelsPerUnit);

/// The same from samples, `across` x `across` of them to a pixel.
CoverageMask coverageOf(const SampleMask& samples, int across);

}  // namespace um
