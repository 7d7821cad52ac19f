#pragma once
/// Pushing a cage by dragging over the model: deeper, or with Shift less deep. Ctrl and the wheel make the brush
/// larger.
#include "app/viewport/ViewArea.h"
#include "bake/Cage.h"

namespace um::app {

class CageBrush : public QObject {
    Q_OBJECT

public:
    explicit CageBrush(ViewArea& view);

    /// Brushes over a mesh from now on; over none for null.
    void setMesh(std::shared_ptr<const Mesh> mesh);
    bool isOn() const { return m_mesh != nullptr; }
    /// What the stroke that is being made has come to.
    const std::vector<CagePush>& stroke() const { return m_stroke; }
    double radius() const { return m_radius; }

signals:
    /// The stroke grew.
    void pushed();
    /// It is to be kept.
    void ended(const std::vector<um::CagePush>& stroke);

protected:
    bool eventFilter(QObject* watched, QEvent* event) override;

private:
    void dabAt(const QPointF& place, bool inwards);
    void showRing(const QPointF& place);

    ViewArea& m_view;
    std::shared_ptr<const Mesh> m_mesh;
    std::vector<CagePush> m_stroke;
    bool m_isDown = false;
    double m_radius = 36;  // pixels
};

}  // namespace um::app
