#include "app/sheet/CageBrush.h"

#include "measure/Probe.h"

#include <cmath>
#include <QMouseEvent>
#include <QWheelEvent>
#include <utility>

namespace um::app {
namespace {

constexpr float deeper = 1.15f;  // by one touch, in its middle
constexpr double leastRadius = 8, mostRadius = 200;

}  // namespace

CageBrush::CageBrush(ViewArea& view) : QObject(&view), m_view(view) {
    view.viewport().installEventFilter(this);
    view.viewport().setMouseTracking(true);
}

void CageBrush::setMesh(std::shared_ptr<const Mesh> mesh) {
    if (mesh == m_mesh) return;
    m_mesh = std::move(mesh);
    m_isDown = false;
    m_stroke.clear();
    m_view.setBrush(std::nullopt, 0);
}

bool CageBrush::eventFilter(QObject* watched, QEvent* event) {
    if (!m_mesh) return QObject::eventFilter(watched, event);
    const auto* mouse = dynamic_cast<QMouseEvent*>(event);
    switch (event->type()) {
        case QEvent::MouseButtonPress:
            if (mouse->button() != Qt::LeftButton || m_view.viewport().isOtherAt(mouse->position())) break;
            m_isDown = true;
            m_stroke.clear();
            dabAt(mouse->position(), (mouse->modifiers() & Qt::ShiftModifier) != 0);
            return true;
        case QEvent::MouseMove:
            showRing(mouse->position());
            if (!m_isDown) break;
            dabAt(mouse->position(), (mouse->modifiers() & Qt::ShiftModifier) != 0);
            return true;
        case QEvent::MouseButtonRelease:
            if (!m_isDown || mouse->button() != Qt::LeftButton) break;
            m_isDown = false;
            if (!m_stroke.empty()) emit ended(std::exchange(m_stroke, {}));
            return true;
        case QEvent::Wheel: {
            const auto* wheel = static_cast<QWheelEvent*>(event);
            if ((wheel->modifiers() & Qt::ControlModifier) == 0) break;
            m_radius = std::clamp(m_radius * std::pow(1.2, wheel->angleDelta().y() / 120.0), leastRadius, mostRadius);
            showRing(wheel->position());
            return true;
        }
        case QEvent::Leave: m_view.setBrush(std::nullopt, 0); break;
        default: break;
    }
    return QObject::eventFilter(watched, event);
}

void CageBrush::showRing(const QPointF& place) {
    m_view.setBrush(m_view.viewport().isOtherAt(place) ? std::nullopt : std::optional(place), m_radius);
}

void CageBrush::dabAt(const QPointF& place, bool inwards) {
    const Viewport& viewport = m_view.viewport();
    const auto ray = viewport.rayThrough(place);
    const auto hit = firstHit(*m_mesh, ray.from, ray.direction);
    if (!hit) return;
    // As wide on the surface as the ring is in the picture.
    const Vec3d away = viewport.camera().turn() * (hit->place - ray.from);
    const double unitsPerPixel =
        2 * std::tan(Camera::fieldOfViewDegrees * pi / 360) * -away.z() / std::max(1, viewport.placeOf(false).height());
    const CagePush push{hit->place.cast<float>(), float(m_radius * unitsPerPixel), inwards ? 1 / deeper : deeper};
    // Along a stroke, touches lie a third of the brush apart.
    if (!m_stroke.empty() && (m_stroke.back().centre - push.centre).norm() < push.radius / 3) return;
    m_stroke.push_back(push);
    emit pushed();
}

}  // namespace um::app
