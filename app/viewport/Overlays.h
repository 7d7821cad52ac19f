#pragma once
/// What lies over the viewport's picture: the dividing line of the wipe, the key to the colours, places pointed out,
/// and the asset as it is seen.
#include "app/viewport/Renderer.h"

#include <optional>
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

/// The colours of the surface with what they mean, and a line of numbers.
class TintKey : public QWidget {
    Q_OBJECT

public:
    explicit TintKey(QWidget* parent);
    void show(Tint tint, double toleranceMetres);
    void setNumbers(const QString& line);
    const QString& numbers() const { return m_numbers; }

signals:
    void resized();

protected:
    void paintEvent(QPaintEvent* event) override;

private:
    Tint m_tint = Tint::None;
    double m_tolerance = 0;
    QString m_numbers;
};

/// Places of the surface that are pointed out: a ring around each, and what was found at the one that was clicked.
class MarkLayer : public QWidget {
    Q_OBJECT

public:
    struct Found {
        QPointF place, closest;
        QString text;
    };

    explicit MarkLayer(QWidget* parent);
    /// @param chart  the rim of one, in the picture
    void show(const std::vector<QPointF>& rings, const std::vector<QLineF>& chart, const std::optional<Found>& found);
    void showBrush(const std::optional<QPointF>& place, double radius);
    const std::vector<QPointF>& rings() const { return m_rings; }
    const std::vector<QLineF>& chart() const { return m_chart; }
    QString text() const { return m_found ? m_found->text : QString(); }

protected:
    void paintEvent(QPaintEvent* event) override;

private:
    void hideIfEmpty();

    std::vector<QPointF> m_rings;
    std::vector<QLineF> m_chart;
    std::optional<Found> m_found;
    std::optional<QPointF> m_brush;
    double m_brushRadius = 0;
};

/// The asset at its true pixel size, with a magnified crop beside it where it leaves room; in a wipe the other one is
/// left of the middle.
class AsSeenInset : public QWidget {
    Q_OBJECT

public:
    static constexpr int pictureSize = 108;

    /// How large the picture is to be: a wide asset is given the crop's place, too.
    /// @param seen  the asset from its widest side, in pixels
    static QSize pictureFor(const QSizeF& seen);

    explicit AsSeenInset(QWidget* parent);
    /// @param wiped  what lies left of the middle; null for none
    void setPictures(const QImage& picture, const QImage& wiped);
    /// The level that is coming in, dithered; null for none.
    void setNext(const QImage& picture, double share);
    void setShareOfNext(double share);
    /// Whether nothing is drawn any more from there.
    void setGone(bool gone);
    /// Whose picture it is; empty where that is plain.
    void setName(const QString& name);
    void setViewer(double metres, double pixelsTall);
    const QImage& picture() const { return m_picture; }
    const QImage& wipedPicture() const { return m_wiped; }
    /// What is seen: both levels mixed, where one fades into the other.
    QImage seen() const;

protected:
    void paintEvent(QPaintEvent* event) override;

private:
    static int topOfAsset(const QImage& picture, int left, int width);
    bool isWide() const { return m_picture.width() > m_picture.height(); }

    QImage m_picture, m_wiped, m_next;
    double m_shareOfNext = 0;
    bool m_isGone = false;
    QString m_name;
    double m_metres = 0;
    double m_pixels = 0;
};

}  // namespace um::app
