#pragma once
/// The deviation of levels over their triangle counts, measured at halvings of a source.
#include "chain/MendedLevel.h"

#include <vector>

namespace um {

/// How the deviation grows as triangles go; counts falling.
struct ErrorCurve {
    struct Point {
        double triangles = 0, error = 0;
    };
    std::vector<Point> points;

    /// The fewest triangles that stay within an error: along straight lines in logarithms between the points. The most
    /// that there are where none does, the fewest where all do.
    double trianglesFor(double error) const;
    double errorOf(double triangles) const;
};

/// A source reduced to halves of its count again and again. Searches start from the halving above their count. The
/// deviation of a halving is measured when it is first needed.
class HalvedSource {
public:
    /// Keeps a reference to `source`, which must stay as it is. Memory: that of two reductions.
    /// @throws MeshError, Cancelled
    HalvedSource(const Mesh& source, const ReduceSettings& settings, const Progress& progress);

    const Mesh& source() const { return m_mender.source().mesh; }
    const ReduceSettings& settings() const { return m_settings; }
    const LevelMender& mender() const { return m_mender; }

    /// From half of the source's count down to where no halving succeeds.
    std::size_t halvings() const { return m_reductions.size(); }
    /// The error of a halving, in the mesh's unit: an estimate of the largest deviation after mending.
    ErrorCurve::Point at(std::size_t halving, const Progress& progress);
    /// A copy of the halving with at least this many triangles, to go on from.
    Reduction above(std::size_t triangles, const Progress& progress) const;
    /// An estimate of the count with this error, in the mesh's unit. Measures the halvings around it only.
    double guessCount(double error, const Progress& progress);

private:
    ReduceSettings m_settings;
    LevelMender m_mender;
    std::vector<Reduction> m_reductions;
    std::vector<std::optional<ErrorCurve::Point>> m_points;
};

/// The whole curve, errors in metres.
/// @param known  a level that is known, or the source without any error: the curve goes on from it to coarser counts
/// @throws Cancelled
ErrorCurve measureErrorCurve(HalvedSource& source, const ErrorCurve::Point& known, const Progress& progress);

}  // namespace um
