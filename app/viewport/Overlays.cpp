#include "app/viewport/Overlays.h"

#include "app/theme/Theme.h"
#include "base/Units.h"

#include <cmath>
#include <QMouseEvent>
#include <QPainter>

namespace um::app {
namespace {

constexpr int inset = 12;      // of the card
constexpr int cropFactor = 4;  // how much the crop magnifies
constexpr int headingHeight = 22;

}  // namespace

WipeLine::WipeLine(QWidget* parent) : QWidget(parent) {
    setCursor(Qt::SizeHorCursor);
    setFixedWidth(26);
    setToolTip(tr("Drag to compare: the source is on the left"));
}

void WipeLine::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    const double middle = width() / 2.0;
    painter.fillRect(QRectF(middle - 1, 0, 2, height()), QColor(255, 255, 255, 235));
    const QPointF centre(middle, height() * 0.5);
    painter.setPen(QPen(theme().rule, 1));
    painter.setBrush(QColor("#FFFFFF"));
    painter.drawEllipse(centre, 11, 11);
    painter.setPen(QPen(QColor("#1F2D36"), 1.6, Qt::SolidLine, Qt::RoundCap, Qt::RoundJoin));
    for (const double side : {-1.0, 1.0}) {
        const QPointF tip(centre.x() + side * 6.5, centre.y());
        painter.drawLine(tip, tip + QPointF(-side * 3.2, -3.2));
        painter.drawLine(tip, tip + QPointF(-side * 3.2, 3.2));
    }
}

void WipeLine::mouseMoveEvent(QMouseEvent* event) {
    if ((event->buttons() & Qt::LeftButton) != 0) emit dragged(mapToParent(event->position().toPoint()).x());
}

PlaceMark::PlaceMark(QWidget* parent) : QWidget(parent) {
    setFixedSize(40, 40);
    setAttribute(Qt::WA_TransparentForMouseEvents);
    hide();
}

void PlaceMark::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    const QPointF centre(width() / 2.0, height() / 2.0);
    // Dark around light: it stands out on any ground.
    painter.setPen(QPen(QColor(255, 255, 255, 220), 4));
    painter.drawEllipse(centre, 16, 16);
    painter.setPen(QPen(theme().brick, 2));
    painter.drawEllipse(centre, 16, 16);
}

DeviationScale::DeviationScale(QWidget* parent) : QWidget(parent) {
    setFixedSize(196, 34);
    setAttribute(Qt::WA_TransparentForMouseEvents);
}

void DeviationScale::setTolerance(double metres) {
    m_tolerance = metres;
    update();
}

// The same colours as on the surface: clay within the tolerance, then from its edge to four times it.
void DeviationScale::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    const double quarter = width() / 4.0;
    QLinearGradient inward(0, 0, 1.5 * quarter, 0);
    inward.setColorAt(0, theme().blue);
    inward.setColorAt(1, theme().slightBlue);
    QLinearGradient outward(2.5 * quarter, 0, 4 * quarter, 0);
    outward.setColorAt(0, theme().amber);
    outward.setColorAt(1, theme().brick);
    painter.fillRect(QRectF(0, 0, 1.5 * quarter, 9), inward);
    painter.fillRect(QRectF(1.5 * quarter, 0, quarter, 9), theme().clay);
    painter.fillRect(QRectF(2.5 * quarter, 0, 1.5 * quarter, 9), outward);
    painter.setFont(textFont(-2));
    painter.setPen(theme().ink);
    const QString end = QString::fromStdString(formatLength(4 * m_tolerance));
    const QRect words(0, 12, width(), 20);
    painter.drawText(words, Qt::AlignLeft, "−" + end);
    painter.drawText(words, Qt::AlignHCenter, tr("within"));
    painter.drawText(words, Qt::AlignRight, "+" + end);
}

AsSeenInset::AsSeenInset(QWidget* parent) : QWidget(parent) {
    setFixedSize(2 * pictureSize + 3 * inset, pictureSize + headingHeight + 2 * inset);
    setToolTip(tr(
        "The asset as the player sees it from the Sightline's marker, at its true size; beside it its top, enlarged"));
}

void AsSeenInset::setPicture(const QImage& picture) {
    m_picture = picture;
    update();
}

void AsSeenInset::setViewer(double metres, double pixelsTall) {
    m_metres = metres;
    m_pixels = pixelsTall;
    update();
}

void AsSeenInset::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    painter.setPen(QPen(theme().rule, 1));
    painter.setBrush(theme().panel);
    painter.drawRoundedRect(QRectF(rect()).adjusted(0.5, 0.5, -0.5, -0.5), 8, 8);
    const QRect heading(inset, inset - 2, width() - 2 * inset, headingHeight);
    painter.setFont(textFont(-1, QFont::DemiBold));
    painter.setPen(theme().ink);
    painter.drawText(heading, Qt::AlignLeft | Qt::AlignTop,
                     tr("As seen at %1").arg(QString::fromStdString(formatLength(m_metres))));
    painter.setFont(textFont(-1));
    painter.setPen(theme().softInk);
    painter.drawText(heading, Qt::AlignRight | Qt::AlignTop, tr("%1 px").arg(int(std::lround(m_pixels))));
    if (m_picture.isNull()) return;
    const QRect place(inset, inset + headingHeight, pictureSize, pictureSize);
    painter.drawImage(place, m_picture);
    // Crops the upper part of the asset, where outline and surface both show; small things are magnified more.
    const int factor = m_pixels < 40 ? 2 * cropFactor : cropFactor;
    const int side = m_picture.width() / factor;
    const int top =
        int(std::lround(m_picture.height() / 2.0 - std::min(m_pixels, 0.9 * m_picture.height()) / 2)) - side / 4;
    const QRect crop((m_picture.width() - side) / 2, std::clamp(top, 0, m_picture.height() - side), side, side);
    const QRect beside = place.translated(pictureSize + inset, 0);
    painter.setRenderHint(QPainter::SmoothPixmapTransform, false);
    painter.drawImage(beside, m_picture, crop);
    painter.setFont(textFont(-2));
    const QRect tag(beside.right() - 23, beside.bottom() - 15, 24, 16);
    QColor ground = theme().panel;
    ground.setAlphaF(0.75f);
    painter.fillRect(tag, ground);
    painter.setPen(theme().ink);
    painter.drawText(tag, Qt::AlignCenter, tr("×%1").arg(factor));
}

}  // namespace um::app
