#include "app/sheet/SheetPicture.h"

#include "app/theme/Theme.h"

#include <cmath>
#include <QApplication>
#include <QMouseEvent>
#include <QPainter>

namespace um::app {
namespace {

constexpr double mostZoom = 40;
constexpr int usualSide = 292;

}  // namespace

SheetPicture::SheetPicture(QWidget* parent) : QWidget(parent) {
    setMouseTracking(true);
    setFixedSize(usualSide, usualSide);
}

void SheetPicture::show(const QImage& image, const std::vector<QLineF>& rims) {
    m_image = image;
    m_rims = rims;
    update();
}

void SheetPicture::showUnfinished(const QImage& image) {
    show(image, {});
}

void SheetPicture::setChart(const std::vector<QLineF>& rim) {
    m_chart = rim;
    update();
}

void SheetPicture::setMark(const std::optional<QPointF>& place) {
    m_mark = place;
    update();
}

void SheetPicture::setWords(const QString& words) {
    m_words = words;
    update();
}

double SheetPicture::side() const {
    return std::min(width(), height()) * m_zoom;
}

QPointF SheetPicture::pixelOf(const QPointF& place) const {
    return (place - m_corner) * side();
}

QPointF SheetPicture::placeAt(const QPointF& pixel) const {
    return pixel / side() + m_corner;
}

void SheetPicture::keepInSight() {
    const double seenX = width() / side(), seenY = height() / side();
    m_corner.setX(std::clamp(m_corner.x(), 0.0, std::max(0.0, 1 - seenX)));
    m_corner.setY(std::clamp(m_corner.y(), 0.0, std::max(0.0, 1 - seenY)));
    update();
}

void SheetPicture::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.setRenderHint(QPainter::SmoothPixmapTransform);
    const QRectF sheet(pixelOf({0, 0}), pixelOf({1, 1}));
    painter.setClipRect(rect());
    painter.fillRect(sheet, theme().viewportBottom);
    if (!m_image.isNull()) painter.drawImage(sheet, m_image);
    painter.setRenderHint(QPainter::Antialiasing);
    const auto lines = [&](const std::vector<QLineF>& rim, const QPen& pen) {
        std::vector<QLineF> drawn;
        drawn.reserve(rim.size());
        for (const QLineF& line : rim) drawn.emplace_back(pixelOf(line.p1()), pixelOf(line.p2()));
        painter.setPen(pen);
        painter.drawLines(drawn.data(), int(drawn.size()));
    };
    QColor quiet = theme().ink;
    quiet.setAlpha(m_image.isNull() ? 150 : 90);
    lines(m_rims, QPen(quiet, 0.8));
    lines(m_chart, QPen(QColor(255, 255, 255, 220), 3.4));
    lines(m_chart, QPen(theme().accent, 1.8));
    if (m_mark) {
        painter.setBrush(Qt::NoBrush);
        for (const auto& [color, wide] : {std::pair(QColor(255, 255, 255, 220), 4.0), std::pair(theme().brick, 2.0)}) {
            painter.setPen(QPen(color, wide));
            painter.drawEllipse(pixelOf(*m_mark), 9, 9);
        }
    }
    painter.setPen(QPen(theme().rule, 1));
    painter.setBrush(Qt::NoBrush);
    painter.drawRect(
        QRectF(0.5, 0.5, std::min<double>(width(), sheet.right()) - 1, std::min<double>(height(), sheet.bottom()) - 1));
    if (!m_words.isEmpty()) {
        painter.setPen(theme().softInk);
        painter.setFont(textFont());
        painter.drawText(rect().adjusted(24, 24, -24, -24), Qt::AlignCenter | Qt::TextWordWrap, m_words);
    }
}

void SheetPicture::mousePressEvent(QMouseEvent* event) {
    m_pressed = m_last = event->position();
    m_hasDragged = false;
}

void SheetPicture::mouseMoveEvent(QMouseEvent* event) {
    if (event->buttons() == Qt::NoButton) {
        emit pointedAt(placeAt(event->position()));
        return;
    }
    if ((event->position() - m_pressed).manhattanLength() >= QApplication::startDragDistance()) m_hasDragged = true;
    if (!m_hasDragged) return;
    m_corner -= (event->position() - m_last) / side();
    m_last = event->position();
    keepInSight();
}

void SheetPicture::mouseReleaseEvent(QMouseEvent* event) {
    if (!m_hasDragged && event->button() == Qt::LeftButton) emit clicked(placeAt(event->position()));
}

void SheetPicture::mouseDoubleClickEvent(QMouseEvent*) {
    m_zoom = 1;
    m_corner = {};
    update();
}

void SheetPicture::wheelEvent(QWheelEvent* event) {
    const QPointF under = placeAt(event->position());
    m_zoom = std::clamp(m_zoom * std::pow(1.0015, event->angleDelta().y()), 1.0, mostZoom);
    m_corner = under - event->position() / side();
    keepInSight();
    event->accept();
}

void SheetPicture::leaveEvent(QEvent*) {
    emit left();
}

}  // namespace um::app
