#include "app/desks/WorstTour.h"

#include "app/viewport/Viewport.h"

#include <algorithm>
#include <cmath>
#include <numeric>
#include <utility>

namespace um::app {
namespace {

constexpr std::size_t mostViews = 8;
constexpr double apartDegrees = 25;
constexpr int frameMilliseconds = 33;
constexpr int turning = 1200;
constexpr int blinkFrom = 2200, blinkTo = 2800;

}  // namespace

std::vector<Direction> worstViews(const Silhouette& silhouette, std::size_t most) {
    std::vector<std::size_t> order(silhouette.directions.size());
    // Of two opposite views, which are the same, the later one is that from above.
    std::iota(order.rbegin(), order.rend(), std::size_t(0));
    std::stable_sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) {
        return silhouette.views[a].isWorseThan(silhouette.views[b]);
    });
    std::vector<Direction> views;
    const double closest = std::cos(apartDegrees * pi / 180);
    for (const std::size_t i : order) {
        const Direction& direction = silhouette.directions[i];
        // From the opposite side the outline is the same.
        const bool isNew = std::all_of(views.begin(), views.end(), [&](const Direction& other) {
            return std::abs(other.vector().dot(direction.vector())) < closest;
        });
        if (isNew && silhouette.views[i].max > 0 && views.size() < most) views.push_back(direction);
    }
    return views;
}

WorstTour::WorstTour(Viewport& viewport, QObject* parent) : QObject(parent), m_viewport(viewport) {
    m_timer.setInterval(frameMilliseconds);
    connect(&m_timer, &QTimer::timeout, this, &WorstTour::step);
    connect(&m_viewport, &Viewport::touched, this, &WorstTour::stop);
}

void WorstTour::play(const Silhouette& silhouette) {
    stop();
    m_views = worstViews(silhouette, mostViews);
    if (m_views.empty()) return;
    m_next = 0;
    m_hasArrived = false;
    m_fromYaw = m_viewport.camera().yaw();
    m_fromPitch = m_viewport.camera().pitch();
    m_clock.start();
    m_timer.start();
    emit playingChanged(true);
}

void WorstTour::stop() {
    if (!m_timer.isActive()) return;
    m_timer.stop();
    m_viewport.setBlinking(false);
    emit playingChanged(false);
}

void WorstTour::turnTo(double share) {
    const double eased = share * share * (3 - 2 * share);
    const double yaw = m_views[m_next].azimuth * pi / 180, pitch = m_views[m_next].elevation * pi / 180;
    // The shorter way round.
    m_viewport.lookFrom(m_fromYaw + eased * std::remainder(yaw - m_fromYaw, 2 * pi),
                        m_fromPitch + eased * (pitch - m_fromPitch));
}

void WorstTour::step() {
    const auto at = int(m_clock.elapsed());
    if (!m_hasArrived) turnTo(std::min(1.0, double(at) / turning));
    if (at >= turning && !std::exchange(m_hasArrived, true)) emit arrived(int(m_next));
    m_viewport.setBlinking(at >= blinkFrom && at < blinkTo);
    if (at < millisecondsPerView) return;
    m_fromYaw = m_viewport.camera().yaw();
    m_fromPitch = m_viewport.camera().pitch();
    m_next = (m_next + 1) % m_views.size();
    m_hasArrived = false;
    m_clock.restart();
}

}  // namespace um::app
