#include "app/desks/CostWatch.h"
#include "app/theme/NumberText.h"

#include "base/Units.h"

#include <cmath>

namespace um::app {
namespace {

// The viewer is often dragged on at once.
constexpr int costDelay = 200;

}  // namespace

CostWatch::CostWatch(QObject* parent) : QObject(parent) {
    m_soon.setSingleShot(true);
    m_soon.setInterval(costDelay);
    connect(&m_soon, &QTimer::timeout, this, &CostWatch::measure);
}

void CostWatch::watch(std::shared_ptr<const Mesh> mesh, Tint tint, double pixelsPerUnit) {
    if (mesh == m_mesh && tint == m_tint && pixelsPerUnit == m_pixelsPerUnit) return;
    m_mesh = std::move(mesh);
    m_tint = tint;
    m_pixelsPerUnit = pixelsPerUnit;
    m_load.reset();
    m_soon.stop();
    m_measuring.cancel();
    emit numbersChanged({});
    if (m_mesh && m_pixelsPerUnit > 0 && (tint == Tint::PixelLoad || tint == Tint::Texels)) m_soon.start();
}

void CostWatch::measure() {
    if (m_tint == Tint::Texels) {
        if (m_texelsOf == m_mesh) {
            showTexels();
            return;
        }
        m_measuring.start([this, mesh = m_mesh](const Progress&) -> Job::Delivery {
            return [this, mesh, found = measureTexelUse(*mesh)] {
                m_texelsOf = mesh;
                m_texels = found;
                if (mesh == m_mesh && m_tint == Tint::Texels) showTexels();
            };
        });
        return;
    }
    m_measuring.start([this, mesh = m_mesh, scale = m_pixelsPerUnit](const Progress& progress) -> Job::Delivery {
        const PixelLoad load = measurePixelLoad(*mesh, views, scale, progress);
        return [this, load] {
            m_load = load;
            emit numbersChanged(
                tr("%1 px a triangle · %2 % under 4 px · overdraw %3")
                    .arg(number(load.pixelsPerTriangle), number(100 * load.underFour), number(load.overdraw)));
        };
    });
}

// The one that is farthest from what would do.
void CostWatch::showTexels() {
    const TexelUse* worst = nullptr;
    const auto off = [&](const TexelUse& use) { return std::abs(std::log2(use.density / m_pixelsPerUnit)); };
    for (const TexelUse& use : m_texels)
        if (use.density > 0 && (worst == nullptr || off(use) > off(*worst))) worst = &use;
    if (worst == nullptr) {
        emit numbersChanged(tr("no surface has a texture"));
        return;
    }
    emit numbersChanged(tr("%1: %2 texels a pixel, %3 px would do for %4")
                            .arg(QString::fromStdString(m_mesh->materials[worst->material].name),
                                 number(worst->density / m_pixelsPerUnit),
                                 QString::fromStdString(formatCount(std::size_t(worst->enough(m_pixelsPerUnit)))))
                            .arg(std::max(worst->width, worst->height)));
}

}  // namespace um::app
