#pragma once
/// A sheet seen flat: the picture, the charts' rims, the chart and place that are pointed at. The wheel zooms to the
/// cursor, dragging moves it, a double click brings all of it back.
#include <optional>
#include <QImage>
#include <QLineF>
#include <QWidget>

namespace um::app {

class SheetPicture : public QWidget {
    Q_OBJECT

public:
    explicit SheetPicture(QWidget* parent = nullptr);

    /// @param rims  in shares of the sheet, downwards
    void show(const QImage& image, const std::vector<QLineF>& rims);
    /// A picture that is still being made, without rims.
    void showUnfinished(const QImage& image);
    void setChart(const std::vector<QLineF>& rim);
    void setMark(const std::optional<QPointF>& place);
    /// What stands in the middle while there is no picture.
    void setWords(const QString& words);

    const std::optional<QPointF>& mark() const { return m_mark; }
    const std::vector<QLineF>& chart() const { return m_chart; }
    const QImage& image() const { return m_image; }
    /// Where a place of the sheet is in the widget.
    QPointF pixelOf(const QPointF& place) const;

signals:
    void pointedAt(const QPointF& place);
    void left();
    void clicked(const QPointF& place);

protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;
    void leaveEvent(QEvent* event) override;

private:
    double side() const;
    QPointF placeAt(const QPointF& pixel) const;
    void keepInSight();

    QImage m_image;
    std::vector<QLineF> m_rims, m_chart;
    std::optional<QPointF> m_mark;
    QString m_words;
    double m_zoom = 1;
    QPointF m_corner;  // of the widget, in shares of the sheet
    QPointF m_pressed, m_last;
    bool m_hasDragged = false;
};

}  // namespace um::app
