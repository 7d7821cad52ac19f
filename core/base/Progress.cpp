#include "base/Progress.h"

#include "base/Error.h"

#include <algorithm>

namespace um {

Progress::Progress() : m_state(std::make_shared<State>()) {}

Progress Progress::span(double begin, double end) const {
    Progress share = *this;
    share.m_begin = m_begin + begin * (m_end - m_begin);
    share.m_end = m_begin + end * (m_end - m_begin);
    return share;
}

void Progress::at(double fraction) const {
    check();
    const double reached = m_begin + std::clamp(fraction, 0.0, 1.0) * (m_end - m_begin);
    // Parallel steps report out of order; the bar never runs back.
    double known = m_state->fraction.load(std::memory_order_relaxed);
    while (known < reached && !m_state->fraction.compare_exchange_weak(known, reached, std::memory_order_relaxed)) {
    }
}

void Progress::check() const {
    if (cancelled()) throw Cancelled();
}

void Progress::cancel() const {
    m_state->cancelled.store(true, std::memory_order_relaxed);
}

bool Progress::cancelled() const {
    return m_state->cancelled.load(std::memory_order_relaxed);
}

double Progress::fraction() const {
    return m_state->fraction.load(std::memory_order_relaxed);
}

}  // namespace um
