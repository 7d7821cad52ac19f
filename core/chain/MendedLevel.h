#pragma once
/// Levels that are measured while they are made, and mended where they are too far off.
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

    /// What a reduction of the source has come to, mended where it is farther off than that; its deviation is proven
    /// unless it is far too far off.
    /// @param within  in the mesh's unit
    /// @throws Cancelled
    MeasuredLevel make(const Reduction& reduction, double within, const MendChoice& choice,
                       const Progress& progress) const;
    /// The same where nothing more is wanted of the reduction.
    MeasuredLevel make(Reduction&& reduction, double within, const MendChoice& choice, const Progress& progress) const;

    /// In so many places as tell whether all is within a length.
    Deviation measure(const Mesh& level, double within, const Progress& progress) const;

private:
    // Of either.
    template <class AnyReduction>
    MeasuredLevel makeOf(AnyReduction&& reduction, double within, const MendChoice& choice,
                         const Progress& progress) const;

    DeviationSource m_source;
};

/// A place farther off than this share of a length counts as too far off: with a little bad luck it is next time.
constexpr double nearlyTooFar = 0.95;

/// How many places are known to be farther off than that.
std::size_t placesFartherThan(double within, const Deviation& deviation);

/// What the largest deviation of a level can be brought down to by mending, as a rule, if it is not less already.
/// @param shareOfSource  that the level has of the triangles
double usualMax(const Deviation& deviation, double shareOfSource);

}  // namespace um
