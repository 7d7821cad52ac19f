#pragma once
/// How figures are taken and judged.
#include <functional>
#include <vector>

namespace um::bench {

/// That work takes.
double secondsOf(const std::function<void()>& work);

double median(std::vector<double> values);

/// Of that many runs.
double medianSeconds(int runs, const std::function<void()>& work);

/// In words, whether a goal is met.
const char* verdict(bool met);

}  // namespace um::bench
