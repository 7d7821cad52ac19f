#pragma once
/// How figures are taken and judged.
#include <cstddef>
#include <functional>
#include <vector>

namespace um::bench {

/// That work takes.
double secondsOf(const std::function<void()>& work);

double median(std::vector<double> values);

/// The yardstick of time: std::sort of three random 64-bit keys for each triangle.
double sortSeconds(std::size_t triangles);

/// Of that many runs.
double medianSeconds(int runs, const std::function<void()>& work);

/// How much of the processors' time other virtual machines took since it was begun: what was measured meanwhile took
/// longer for it. (The field `steal` of /proc/stat; 0 where nothing is said.)
class TakenByOthers {
public:
    TakenByOthers();
    /// 0 to 1
    double share() const;

private:
    double m_taken, m_all;
};

/// In words, whether a goal is met.
const char* verdict(bool met);

}  // namespace um::bench
