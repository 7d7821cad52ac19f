#pragma once
/// The same numbers each time, as if by chance.
#include "base/Math.h"

#include <random>

namespace um::test {

class Numbers {
public:
    explicit Numbers(unsigned seed) : m_random(seed) {}

    /// From -1 to 1.
    double operator()() { return m_number(m_random); }
    std::size_t below(std::size_t count) { return m_random() % count; }
    Vec3d place() {
        const double x = (*this)(), y = (*this)();
        return {x, y, (*this)()};
    }

private:
    std::mt19937 m_random;
    std::uniform_real_distribution<double> m_number{-1, 1};
};

}  // namespace um::test
