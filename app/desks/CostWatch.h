#pragma once
/// Keeps the numbers beside the colours of pixel load and texels up to date with the viewer.
#include "app/jobs/Job.h"
#include "app/viewport/Renderer.h"
#include "measure/PixelLoad.h"
#include "measure/TexelUse.h"

#include <QTimer>

namespace um::app {

class CostWatch : public QObject {
    Q_OBJECT

public:
    /// Directions over which the pixel load is the mean.
    static constexpr int views = 26;

    explicit CostWatch(QObject* parent = nullptr);

    /// @param pixelsPerUnit  of the mesh's unit, where the player stands
    void watch(std::shared_ptr<const Mesh> mesh, Tint tint, double pixelsPerUnit);
    const std::optional<PixelLoad>& load() const { return m_load; }
    const std::vector<TexelUse>& texels() const { return m_texels; }
    Job& job() { return m_measuring; }
    bool isIdle() const { return !m_soon.isActive() && !m_measuring.isRunning(); }

signals:
    void numbersChanged(const QString& line);

private:
    void measure();
    void showTexels();

    std::shared_ptr<const Mesh> m_mesh, m_texelsOf;
    Tint m_tint = Tint::None;
    double m_pixelsPerUnit = 0;
    std::optional<PixelLoad> m_load;
    std::vector<TexelUse> m_texels;
    QTimer m_soon;
    Job m_measuring;
};

}  // namespace um::app
