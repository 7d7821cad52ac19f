#include "app/sightline/Walk.h"

#include <cmath>

namespace um::app {

Walk::Walk(QObject* parent) : QObject(parent) {
    m_timer.setInterval(16);
    connect(&m_timer, &QTimer::timeout, this, [this] { goTo(m_clock.elapsed()); });
}

void Walk::start(double nearest, double farthest) {
    m_nearest = nearest;
    m_farthest = farthest;
    m_clock.start();
    m_timer.start();
    emit walkingChanged(true);
}

void Walk::stop() {
    if (!m_timer.isActive()) return;
    m_timer.stop();
    emit walkingChanged(false);
}

double Walk::placeAt(double share, double nearest, double farthest) {
    // 1 at the ends, 0 in the middle.
    const double away = std::abs(2 * share - 1);
    return nearest * std::pow(farthest / nearest, away);
}

void Walk::goTo(qint64 time) {
    const double share = double(time) / milliseconds;
    emit moved(placeAt(std::min(1.0, share), m_nearest, m_farthest));
    if (share >= 1) stop();
}

}  // namespace um::app
