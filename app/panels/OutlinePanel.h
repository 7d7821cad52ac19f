#pragma once
/// How far the level's outline is off from all sides: a map of the directions, the numbers, and the worst view.
#include "measure/Silhouette.h"

#include <memory>
#include <QImage>
#include <QWidget>

class QLabel;
class QPushButton;

namespace um::app {

class Job;

/// The directions that one looks from, as a disc seen from the front; what is seen from behind is the same outline,
/// mirrored. Each direction has its share of the disc, coloured by the largest distance between the outlines there.
class DirectionDisc : public QWidget {
    Q_OBJECT

public:
    explicit DirectionDisc(QWidget* parent = nullptr);
    void setSilhouette(std::shared_ptr<const Silhouette> silhouette);
    /// Where the camera looks from.
    void setEye(const Vec3d& towards);
    /// Where a direction lies in the widget; one from behind lies where its opposite does.
    QPointF placeOf(const Vec3d& towards) const;

signals:
    void chosen(const um::Direction& direction);

protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    bool event(QEvent* event) override;

private:
    std::optional<std::size_t> viewAt(const QPointF& place) const;
    void drawMap();

    std::shared_ptr<const Silhouette> m_silhouette;
    QImage m_map;
    Vec3d m_eye = Vec3d::UnitZ();
};

class OutlinePanel : public QWidget {
    Q_OBJECT

public:
    explicit OutlinePanel(Job& measuring, QWidget* parent = nullptr);

    /// Null while it is not known; the panel then keeps its size.
    void show(std::shared_ptr<const Silhouette> silhouette, double heightPixels);
    DirectionDisc& disc() { return *m_disc; }
    /// Whether the worst views are being played.
    void setTouring(bool plays);
    void toggleTour();
    /// "at most", "mean", "area", "worst"
    QString text(const QString& name) const;

signals:
    void lookWanted(const um::Direction& direction);
    /// The worst views are to be played, or to stop.
    void tourWanted(bool wanted);

private:
    std::shared_ptr<const Silhouette> m_silhouette;
    bool m_isTouring = false;
    DirectionDisc* m_disc;
    QLabel *m_heading, *m_most, *m_mean, *m_area, *m_worst;
    QPushButton *m_tour, *m_look, *m_cancel;
};

}  // namespace um::app
