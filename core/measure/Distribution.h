#pragma once
/// The distribution of signed distances, in bins fine enough for shares and percentiles.
#include <cstddef>
#include <vector>

namespace um {

class Distribution {
public:
    Distribution() = default;

    /// @param reach  the largest absolute value that add() will be given; 0 if all values are 0
    explicit Distribution(double reach);

    /// A distribution that was stored: the largest absolute value and the weights of equally wide bins from -reach to
    /// reach.
    Distribution(double reach, std::vector<float> weights);

    void add(double value, double weight);

    bool empty() const { return m_weights.empty(); }
    double reach() const { return m_reach; }
    const std::vector<float>& weights() const { return m_weights; }

    /// The share (0 to 1) of values of absolute size up to `tolerance`. Values are
    /// interpolated within a bin; bins are reach / 16384 wide.
    double shareWithin(double tolerance) const;

    /// The absolute size that a share of the values does not exceed.
    double absolutePercentile(double share) const;

    /// Shares of the values in `bins` equal bins from -range to range; values beyond count in the outermost bins.
    std::vector<double> histogram(std::size_t bins, double range) const;

private:
    double m_reach = 0;
    std::vector<float> m_weights;
};

}  // namespace um
