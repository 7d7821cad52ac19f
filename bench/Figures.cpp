#include "bench/Figures.h"

#include <algorithm>
#include <chrono>

namespace um::bench {

double secondsOf(const std::function<void()>& work) {
    const auto begin = std::chrono::steady_clock::now();
    work();
    return std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
}

double median(std::vector<double> values) {
    std::sort(values.begin(), values.end());
    return values[values.size() / 2];
}

double medianSeconds(int runs, const std::function<void()>& work) {
    std::vector<double> seconds;
    for (int i = 0; i < runs; ++i) seconds.push_back(secondsOf(work));
    return median(seconds);
}

const char* verdict(bool met) {
    return met ? "met" : "NOT met";
}

}  // namespace um::bench
