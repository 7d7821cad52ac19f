#pragma once
/// Seconds that work takes.
#include <functional>
#include <vector>

namespace um::bench {

double secondsOf(const std::function<void()>& work);

double median(std::vector<double> values);

/// Of that many runs.
double medianSeconds(int runs, const std::function<void()>& work);

}  // namespace um::bench
