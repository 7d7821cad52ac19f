#pragma once
/// How a sheet is shared out among what lies on it.
#include "base/Progress.h"
#include "mesh/Health.h"
#include "mesh/Mesh.h"

#include <string_view>

namespace um {

enum class SheetShare : unsigned char {
    Density,  ///< as many texels as each place has now
    Area,     ///< alike over the surface
    Seen      ///< by how much of it is seen from all around
};

/// `density`, `area`, `seen`.
/// @throws InputError  naming those that there are
SheetShare parseSheetShare(std::string_view text);
std::string_view nameOf(SheetShare share);

/// A part that gets so many times the texels along a side that its share alone would give it.
struct PartFactor {
    std::string part;
    double factor = 1;

    bool operator==(const PartFactor&) const = default;
};

/// Of how many samples of pictures from 26 directions each triangle is what is seen first, on or through what is
/// transparent.
/// @throws Cancelled
std::vector<double> seenSamples(const Mesh& mesh, const Progress& progress);

/// How much is seen of each triangle for its area, from 0 to 1, where 1 is as much as of any that lies open.
std::vector<float> exposureOf(const Mesh& mesh, const std::vector<double>& seenSamples);

/// Texels for a unit of length on each triangle, as a factor on what it would have by area alone. Density goes by the
/// textures that the mesh has now; what has none gets the mean.
/// @throws InputError  if a factor is not from 0.05 to 20, or of a part that there is not
/// @throws Cancelled
std::vector<float> shareWeights(const Mesh& mesh, SheetShare share, const std::vector<PartFactor>& factors,
                                const Progress& progress);

/// What a part takes of a sheet, and of what is seen.
struct PartShare {
    std::string part;
    double sheet = 0, seen = 0;  ///< 0 to 1, of all parts

    /// Whether it takes far more than it shows.
    bool isHog() const { return sheet > 0.1 && sheet > 2.5 * seen; }
    bool operator==(const PartShare&) const = default;
};

/// Those that take far more than they show.
std::vector<Finding> findHogs(const std::vector<PartShare>& shares);

/// One for each part, by the area that its triangles have in the first set of UVs.
std::vector<PartShare> partShares(const Mesh& mesh, const std::vector<double>& seenSamples);

}  // namespace um
