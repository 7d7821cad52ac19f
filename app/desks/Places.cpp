#include "app/desks/Places.h"

#include "app/viewport/ViewArea.h"
#include "base/Units.h"
#include "measure/Probe.h"

#include <cmath>

namespace um::app {

Places::Places(ViewArea& view, QObject* parent) : QObject(parent), m_view(view) {}

void Places::forget() {
    m_looking.cancel();
    m_view.setMark(std::nullopt);
    m_view.setFinding(std::nullopt);
    m_farPlace = -1;
}

void Places::faceAlong(const Vec3d& normal) {
    if (!normal.isZero() && normal.allFinite())
        m_view.viewport().lookFrom(std::atan2(normal.x(), normal.z()), std::asin(normal.y()));
}

// It is turned face to face as soon as it is known which way the surface looks there.
void Places::goTo(std::shared_ptr<const Mesh> mesh, const Vec3d& place) {
    forget();
    m_view.viewport().lookAt(place, 0.07 * diagonal(*mesh));
    m_view.setMark(place);
    m_looking.start([this, mesh, place](const Progress&) -> Job::Delivery {
        const auto closest = closestOnMesh(*mesh, place);
        if (!closest) return {};
        const Triangle& t = mesh->triangles[closest->triangle];
        const Vec3d normal = areaNormal(mesh->positions[t[0]].cast<double>(), mesh->positions[t[1]].cast<double>(),
                                        mesh->positions[t[2]].cast<double>())
                                 .normalized();
        return [this, normal] { faceAlong(normal); };
    });
}

void Places::goToWorst(const Deviation& evidence, const Mesh& level, int step) {
    const auto& places = evidence.farPlaces;
    if (places.empty()) return;
    const int count = int(places.size());
    m_farPlace = m_farPlace < 0 && step < 0 ? count - 1 : (m_farPlace + step + count) % count;
    const FarPlace& far = places[std::size_t(m_farPlace)];
    const QString off = QString::fromStdString(formatLength(far.distance * level.metresPerUnit));
    const QString where =
        far.isOnSource ? tr("from the source here to the level") : tr("from the level here to the source");
    faceAlong(far.normal);
    m_view.viewport().lookAt(far.place, std::max(6 * far.distance, 0.05 * diagonal(level)));
    m_view.setMark(far.place);
    m_view.setFinding(ViewArea::Finding{far.place, far.place, false,
                                        tr("%1 of %2: %3 %4").arg(m_farPlace + 1).arg(count).arg(off, where)});
}

void Places::probe(const QPointF& place, const Clicked& clicked, double toleranceMetres) {
    const auto ray = m_view.viewport().rayThrough(place);
    m_looking.start([this, clicked, ray, toleranceMetres](const Progress&) -> Job::Delivery {
        const auto found = um::probe(*clicked.mesh, clicked.isSource, *clicked.against, ray.from, ray.direction);
        if (!found) return {};
        return [this, clicked, found, toleranceMetres] {
            const double metres = std::abs(found->distance) * clicked.mesh->metresPerUnit;
            const QString side = found->distance < 0 ? tr("inside") : tr("outside");
            m_view.setFinding(
                ViewArea::Finding{found->place, found->closest, clicked.isOnOther,
                                  tr("%1 %2%3\n%4")
                                      .arg(QString::fromStdString(formatLength(metres)), side,
                                           metres <= toleranceMetres ? tr(", within") : QString(),
                                           QString::fromStdString(clicked.mesh->parts[found->part].name))});
        };
    });
}

}  // namespace um::app
