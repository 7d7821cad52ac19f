#pragma once
/// What lies over the viewport's picture: the dividing line of the wipe, the colour scale, and the asset as it is seen.
#include <QImage>
#include <QWidget>

namespace um::app {

/// The line between source and level, dragged sideways.
class WipeLine : public QWidget {
    Q_OBJECT

public:
    explicit WipeLine(QWidget* parent);

signals:
    /// In the parent's pixels.
    void dragged(double x);

protected:
    void paintEvent(QPaintEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
};

/// The colours of the deviation view, with the tolerance in the middle.
class DeviationScale : public QWidget {
    Q_OBJECT

public:
    explicit DeviationScale(QWidget* parent);
    void setTolerance(double metres);

protected:
    void paintEvent(QPaintEvent* event) override;

private:
    double m_tolerance = 0;
};

/// A ring around a place of the surface.
class PlaceMark : public QWidget {
    Q_OBJECT

public:
    explicit PlaceMark(QWidget* parent);

protected:
    void paintEvent(QPaintEvent* event) override;
};

/// The asset at its true pixel size, with a magnified crop beside it.
class AsSeenInset : public QWidget {
    Q_OBJECT

public:
    static constexpr int pictureSize = 108;

    explicit AsSeenInset(QWidget* parent);
    void setPicture(const QImage& picture);
    void setViewer(double metres, double pixelsTall);
    const QImage& picture() const { return m_picture; }

protected:
    void paintEvent(QPaintEvent* event) override;

private:
    QImage m_picture;
    double m_metres = 0;
    double m_pixels = 0;
};

}  // namespace um::app
