#include "app/sightline/SightlineStrip.h"

#include "app/theme/Theme.h"
#include "base/Units.h"

#include <cmath>
#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>

namespace um::app {
namespace {

constexpr double leftMargin = 60, rightMargin = 24;
constexpr double top = 30;          // below the heading
constexpr double outlineRoom = 80;  // above the scale
constexpr double smallestPixels = 3;

QImage imageOf(const CoverageMask& mask, const QColor& color) {
    QImage image(mask.width, mask.height, QImage::Format_ARGB32);
    for (int y = 0; y < mask.height; ++y)
        for (int x = 0; x < mask.width; ++x)
            image.setPixelColor(x, y, QColor(color.red(), color.green(), color.blue(), mask.at(x, y)));
    return image;
}

QString distanceText(double metres) {
    return QString::fromStdString(formatLength(metres));
}

}  // namespace

SightlineStrip::SightlineStrip(QWidget* parent) : QWidget(parent) {
    setMinimumHeight(150);
    setMouseTracking(true);
    setToolTip(tr("Drag the red marker, or press [ and ], to stand nearer or farther away"));
}

std::vector<double> SightlineStrip::outlineHeights() {
    std::vector<double> heights;
    for (double height = 76; height > smallestPixels; height /= 1.55) heights.push_back(std::round(height));
    return heights;
}

void SightlineStrip::setAsset(double heightMetres, std::vector<CoverageMask> outlines) {
    m_assetHeight = heightMetres;
    m_outlines = std::move(outlines);
    update();
}

void SightlineStrip::setScreen(const Screen& screen) {
    m_screen = screen;
    update();
}

void SightlineStrip::setViewer(double metres) {
    m_viewer = metres;
    update();
}

double SightlineStrip::pixelsAt(double metres) const {
    return metres > 0 ? m_screen.pixels(m_assetHeight, metres) : 0;
}

// From where the asset fills the screen's height to where only a few pixels are left.
double SightlineStrip::nearest() const {
    return m_screen.distance(m_assetHeight, m_screen.heightPixels);
}

double SightlineStrip::farthest() const {
    return m_screen.distance(m_assetHeight, smallestPixels);
}

double SightlineStrip::xOf(double metres) const {
    const double share = std::log(metres / nearest()) / std::log(farthest() / nearest());
    return leftMargin + share * (width() - leftMargin - rightMargin);
}

double SightlineStrip::metresAt(double x) const {
    const double share = std::clamp((x - leftMargin) / (width() - leftMargin - rightMargin), 0.0, 1.0);
    return nearest() * std::pow(farthest() / nearest(), share);
}

void SightlineStrip::moveViewer(double metres) {
    if (m_assetHeight <= 0) return;
    m_viewer = std::clamp(metres, nearest(), farthest());
    update();
    emit viewerMoved(m_viewer);
}

void SightlineStrip::stepViewer(int steps) {
    moveViewer(m_viewer * std::pow(2, steps / 12.0));
}

void SightlineStrip::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    painter.fillRect(rect(), theme().panel);
    painter.fillRect(QRect(0, 0, width(), 1), theme().rule);
    QFont heading = textFont(-2, QFont::DemiBold);
    heading.setLetterSpacing(QFont::PercentageSpacing, 106);
    painter.setFont(heading);
    painter.setPen(theme().softInk);
    const QString title = tr("SIGHTLINE");
    painter.drawText(QPointF(16, 20), title);
    const double titleEnd = 16 + painter.fontMetrics().horizontalAdvance(title) + 14;
    painter.setFont(textFont(-1));
    painter.drawText(QPointF(titleEnd, 20),
                     m_assetHeight > 0 ? tr("the asset at its true size on the screen it is seen on, over distance")
                                       : tr("viewing distance; open a mesh to see it at its true size"));
    if (m_assetHeight <= 0) return;
    paintScale(painter);
    paintOutlines(painter);
    paintViewer(painter);
}

void SightlineStrip::paintScale(QPainter& painter) const {
    const double line = top + outlineRoom;
    painter.setPen(QPen(theme().rule, 1));
    painter.drawLine(QPointF(leftMargin, line), QPointF(width() - rightMargin, line));
    painter.setFont(textFont(-2));
    const QFontMetricsF metrics(painter.font());
    double lastEnd = 0;
    for (double decade = std::pow(10, std::floor(std::log10(nearest()))); decade <= farthest(); decade *= 10)
        for (const double step : {1.0, 2.0, 5.0}) {
            const double metres = decade * step;
            if (metres < nearest() || metres > farthest()) continue;
            const double x = xOf(metres);
            const QString text = distanceText(metres);
            const double half = metrics.horizontalAdvance(text) / 2;
            painter.setPen(QPen(theme().rule, 1));
            painter.drawLine(QPointF(x, line - 3), QPointF(x, line + 4));
            if (x - half < lastEnd + 10 || x + half > width() - 4) continue;
            lastEnd = x + half;
            painter.setPen(theme().softInk);
            painter.drawText(QPointF(x - half, line + 18), text);
        }
    painter.setPen(theme().softInk);
    painter.drawText(QRectF(0, line + 22, leftMargin - 8, 16), Qt::AlignRight | Qt::AlignVCenter, tr("height"));
    painter.drawText(QRectF(0, line + 6, leftMargin - 8, 16), Qt::AlignRight | Qt::AlignVCenter, tr("distance"));
}

void SightlineStrip::paintOutlines(QPainter& painter) const {
    const double line = top + outlineRoom;
    const std::vector<double> heights = outlineHeights();
    const double ratio = devicePixelRatioF();
    double lastEnd = leftMargin - 20;
    double outlineEnd = 0;
    const QFontMetricsF metrics(textFont(-2));
    for (std::size_t i = 0; i < std::min(heights.size(), m_outlines.size()); ++i) {
        const double x = xOf(m_screen.distance(m_assetHeight, heights[i]));
        QImage image = imageOf(m_outlines[i], theme().ink);
        image.setDevicePixelRatio(ratio);
        const double imageWidth = image.width() / ratio, imageHeight = image.height() / ratio;
        if (x - imageWidth / 2 < outlineEnd) continue;  // wide things leave room for fewer
        outlineEnd = x + imageWidth / 2;
        // Whole pixels: an outline shifted by half a pixel would no longer be what the screen shows.
        painter.drawImage(QPointF(std::round(x - imageWidth / 2), std::round(line - imageHeight)), image);
        const QString text = tr("%1 px").arg(heights[i]);
        const double half = metrics.horizontalAdvance(text) / 2;
        if (x - half < lastEnd + 8) continue;
        lastEnd = x + half;
        painter.setFont(textFont(-2));
        painter.setPen(theme().softInk);
        painter.drawText(QPointF(x - half, line + 34), text);
    }
}

void SightlineStrip::paintViewer(QPainter& painter) const {
    if (m_viewer <= 0) return;
    const double x = xOf(std::clamp(m_viewer, nearest(), farthest()));
    const double line = top + outlineRoom;
    painter.setPen(QPen(theme().brick, 1.5));
    painter.drawLine(QPointF(x, top - 2), QPointF(x, line + 5));
    QPainterPath marker;
    marker.moveTo(x - 6, top - 8);
    marker.lineTo(x + 6, top - 8);
    marker.lineTo(x, top + 1);
    marker.closeSubpath();
    painter.fillPath(marker, theme().brick);
    const QString text = tr("%1 · %2 px tall").arg(distanceText(m_viewer)).arg(int(std::lround(pixelsAt(m_viewer))));
    painter.setFont(textFont(-1, QFont::DemiBold));
    const double textWidth = painter.fontMetrics().horizontalAdvance(text);
    const bool right = x + 12 + textWidth < width() - 4;
    painter.setPen(theme().brick);
    painter.drawText(QPointF(right ? x + 11 : x - 11 - textWidth, top - 8 + 8), text);
}

void SightlineStrip::mousePressEvent(QMouseEvent* event) {
    if (event->button() == Qt::LeftButton && m_assetHeight > 0) moveViewer(metresAt(event->position().x()));
}

void SightlineStrip::mouseMoveEvent(QMouseEvent* event) {
    if (m_assetHeight <= 0) return;
    const bool near = std::abs(event->position().x() - xOf(m_viewer)) < 8;
    setCursor(near || event->buttons() != Qt::NoButton ? Qt::SizeHorCursor : Qt::ArrowCursor);
    if ((event->buttons() & Qt::LeftButton) != 0) moveViewer(metresAt(event->position().x()));
}

}  // namespace um::app
