#include "bench/Figures.h"

#include <algorithm>
#include <chrono>
#include <cstdint>
#include <fstream>
#include <random>
#include <string>
#include <tuple>
#include <utility>

namespace um::bench {
namespace {

// Ticks since the machine was started: those taken by others, and all.
std::pair<double, double> ticks() {
    constexpr std::size_t steal = 7;
    std::ifstream file("/proc/stat");
    std::string processors;
    file >> processors;
    double all = 0, taken = 0, some = 0;
    for (std::size_t field = 0; field <= steal && file >> some; ++field) {
        all += some;
        if (field == steal) taken = some;
    }
    return {taken, all};
}

}  // namespace

double secondsOf(const std::function<void()>& work) {
    const auto begin = std::chrono::steady_clock::now();
    work();
    return std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
}

double median(std::vector<double> values) {
    std::sort(values.begin(), values.end());
    return values[values.size() / 2];
}

double sortSeconds(std::size_t triangles) {
    std::mt19937_64 random(7);
    std::vector<std::uint64_t> keys(3 * triangles);
    for (std::uint64_t& key : keys) key = random();
    return secondsOf([&] { std::sort(keys.begin(), keys.end()); });
}

double medianSeconds(int runs, const std::function<void()>& work) {
    std::vector<double> seconds;
    for (int i = 0; i < runs; ++i) seconds.push_back(secondsOf(work));
    return median(seconds);
}

TakenByOthers::TakenByOthers() {
    std::tie(m_taken, m_all) = ticks();
}

double TakenByOthers::share() const {
    const auto [taken, all] = ticks();
    return all > m_all ? (taken - m_taken) / (all - m_all) : 0;
}

const char* verdict(bool met) {
    return met ? "met" : "NOT met";
}

}  // namespace um::bench
