#pragma once
/// The strip along the bottom: the asset's silhouette at its true pixel size over viewing distance, and the viewer, who
/// can be moved along it.
#include "chain/Target.h"
#include "draw/Coverage.h"

#include <QWidget>

namespace um::app {

class SightlineStrip : public QWidget {
    Q_OBJECT

public:
    explicit SightlineStrip(QWidget* parent = nullptr);

    /// Heights in pixels at which outlines stand along the strip, largest first, for a device pixel ratio.
    static std::vector<double> outlineHeights();

    /// @param heightMetres  of the asset as it stands; 0 empties the strip
    void setAsset(double heightMetres, std::vector<CoverageMask> outlines);
    void setScreen(const Screen& screen);
    void setViewer(double metres);
    double viewer() const { return m_viewer; }
    /// A step along the strip, as the keys do it: a twelfth of an octave of distance per step.
    void stepViewer(int steps);
    /// How tall the asset is on the screen from there.
    double pixelsAt(double metres) const;
    double nearest() const;
    double farthest() const;

signals:
    void viewerMoved(double metres);

protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    QSize sizeHint() const override { return {800, 168}; }

private:
    double xOf(double metres) const;
    double metresAt(double x) const;
    void moveViewer(double metres);
    void paintScale(QPainter& painter) const;
    void paintOutlines(QPainter& painter) const;
    void paintViewer(QPainter& painter) const;

    double m_assetHeight = 0;  // metres
    std::vector<CoverageMask> m_outlines;
    Screen m_screen;
    double m_viewer = 0;  // metres
};

}  // namespace um::app
