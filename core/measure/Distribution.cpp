#include "measure/Distribution.h"

#include <algorithm>
#include <cmath>

namespace um {
namespace {

constexpr std::size_t binsPerSide = 16384;

double total(const std::vector<float>& weights) {
    double sum = 0;
    for (const float weight : weights) sum += double(weight);
    return sum;
}

}  // namespace

Distribution::Distribution(double reach) : m_reach(reach), m_weights(2 * binsPerSide, 0.0f) {}

Distribution::Distribution(double reach, std::vector<float> weights) : m_reach(reach), m_weights(std::move(weights)) {}

void Distribution::add(double value, double weight) {
    const double position = m_reach > 0 ? (value / m_reach + 1) * double(binsPerSide) : double(binsPerSide);
    const double last = double(m_weights.size() - 1);
    m_weights[std::size_t(std::clamp(position, 0.0, last))] += float(weight);
}

double Distribution::shareWithin(double tolerance) const {
    if (m_weights.empty() || tolerance >= m_reach) return 1;
    const double all = total(m_weights);
    const std::size_t middle = m_weights.size() / 2;
    const double bins = std::max(0.0, tolerance / m_reach * double(middle));
    const auto whole = std::size_t(bins);
    double sum = 0;
    for (std::size_t i = 0; i < whole; ++i) sum += double(m_weights[middle + i]) + double(m_weights[middle - 1 - i]);
    if (whole < middle)
        sum += (bins - double(whole)) * (double(m_weights[middle + whole]) + double(m_weights[middle - 1 - whole]));
    return all > 0 ? std::min(1.0, sum / all) : 1;
}

double Distribution::absolutePercentile(double share) const {
    const double wanted = share * total(m_weights);
    const std::size_t middle = m_weights.size() / 2;
    double sum = 0;
    for (std::size_t i = 0; i < middle; ++i) {
        const double own = double(m_weights[middle + i]) + double(m_weights[middle - 1 - i]);
        if (own > 0 && sum + own >= wanted) return (double(i) + (wanted - sum) / own) * m_reach / double(middle);
        sum += own;
    }
    return m_reach;
}

std::vector<double> Distribution::histogram(std::size_t bins, double range) const {
    std::vector<double> shares(bins, 0.0);
    const double all = total(m_weights);
    if (!(all > 0) || !(range > 0)) return shares;
    const double width = 2 * m_reach / double(m_weights.size());
    for (std::size_t i = 0; i < m_weights.size(); ++i) {
        if (m_weights[i] == 0) continue;
        const double value = -m_reach + (double(i) + 0.5) * width;
        const double position = (value / range + 1) / 2 * double(bins);
        shares[std::size_t(std::clamp(position, 0.0, double(bins) - 1))] += double(m_weights[i]) / all;
    }
    return shares;
}

}  // namespace um
