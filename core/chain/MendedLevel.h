#pragma once
/// Levels that are measured and mended while they are made.
#include "measure/Deviation.h"
#include "reduce/Reduce.h"

#include <limits>

namespace um {

struct MeasuredLevel {
    Mesh mesh;
    Deviation deviation;
};

struct MendChoice {
    bool leavesOutSpare = false;  ///< as in Limit
    /// Where more places than these are too far off, none of them is mended one by one.
    std::size_t mostPlaces = std::numeric_limits<std::size_t>::max();
    std::size_t ahead = 16;  ///< as in Limit
};

class LevelMender {
public:
    /// Keeps a reference to `source`, which must stay as it is.
    LevelMender(const Mesh& source, const Progress& progress);

    const DeviationSource& source() const { return m_source; }

    /// The mesh of a reduction, mended where it is farther off than a length. Its deviation is proven unless very many
    /// places are farther off.
    /// @param within  in the mesh's unit
    /// @throws Cancelled
    MeasuredLevel make(const Reduction& reduction, double within, const MendChoice& choice,
                       const Progress& progress) const;
    /// The same, taking the reduction apart.
    MeasuredLevel make(Reduction&& reduction, double within, const MendChoice& choice, const Progress& progress) const;

    /// Measures at few points: enough to tell whether a length holds.
    Deviation measure(const Mesh& level, double within, const Progress& progress) const;

private:
    // Of either.
    template <class AnyReduction>
    MeasuredLevel makeOf(AnyReduction&& reduction, double within, const MendChoice& choice,
                         const Progress& progress) const;

    DeviationSource m_source;
};

/// Places farther off than this share of a length are treated as too far off, because they may be in the next try.
constexpr double nearlyTooFar = 0.95;

/// The number of known places beyond a length.
std::size_t placesFartherThan(double within, const Deviation& deviation);

/// The largest deviation that mending usually reaches, estimated from the distribution.
/// @param shareOfSource  that the level has of the triangles
double usualMax(const Deviation& deviation, double shareOfSource);

}  // namespace um
