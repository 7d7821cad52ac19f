#pragma once
/// Texel density of textures on the surface, and the texture size that is enough at a distance.
#include "mesh/Health.h"

namespace um {

/// Texel densities of a material's textures: texels along a length of one unit.
struct TexelUse {
    std::uint32_t material = 0;
    int width = 0, height = 0;  ///< of its largest texture
    double density = 0;         ///< median over the area
    double low = 0, high = 0;   ///< 5 % of the area has less than `low`, 5 % more than `high`
    double stretched = 0;       ///< share of the area where one direction has more than twice the texels of another

    /// The longer side, a power of two, that gives the median place one texel a pixel.
    int enough(double pixelsPerUnit) const;
};

/// One for each material that has a texture and is used, in their order. Triangles without area are left out.
std::vector<TexelUse> measureTexelUse(const Mesh& mesh);

/// The density around each wedge (around each vertex, where the mesh has no wedges); 0 where there is no texture.
std::vector<float> texelsPerUnit(const Mesh& mesh);

/// Materials whose textures have at least four times the texels along a side that their pixels can show.
std::vector<Finding> findLargeTextures(const Mesh& mesh, const std::vector<TexelUse>& uses, double pixelsPerUnit);

}  // namespace um
