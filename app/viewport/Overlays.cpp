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
constexpr int keyMargin = 7;

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

MarkLayer::MarkLayer(QWidget* parent) : QWidget(parent) {
    setAttribute(Qt::WA_TransparentForMouseEvents);
}

void MarkLayer::show(const std::vector<QPointF>& rings, const std::vector<QLineF>& chart,
                     const std::optional<Found>& found) {
    m_rings = rings;
    m_chart = chart;
    m_found = found;
    hideIfEmpty();
}

void MarkLayer::showBrush(const std::optional<QPointF>& place, double radius) {
    if (!place && !m_brush) return;
    m_brush = place;
    m_brushRadius = radius;
    hideIfEmpty();
}

void MarkLayer::hideIfEmpty() {
    setVisible(!m_rings.empty() || !m_chart.empty() || m_found || m_brush);
    update();
}

void MarkLayer::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    const QColor light(255, 255, 255, 220);
    for (const auto& [color, wide] : {std::pair(light, 3.4), std::pair(theme().accent, 1.8)}) {
        painter.setPen(QPen(color, wide));
        painter.drawLines(m_chart.data(), int(m_chart.size()));
    }
    // Dark around light: it stands out on any ground.
    for (const QPointF& ring : m_rings) {
        painter.setPen(QPen(light, 4));
        painter.drawEllipse(ring, 16, 16);
        painter.setPen(QPen(theme().brick, 2));
        painter.drawEllipse(ring, 16, 16);
    }
    if (m_brush)
        for (const auto& [color, wide] : {std::pair(light, 3.0), std::pair(theme().accent, 1.4)}) {
            painter.setPen(QPen(color, wide));
            painter.drawEllipse(*m_brush, m_brushRadius, m_brushRadius);
        }
    if (!m_found) return;
    for (const auto& [color, width] : {std::pair(light, 4.0), std::pair(theme().ink, 1.6)}) {
        painter.setPen(QPen(color, width));
        painter.drawLine(m_found->place, m_found->closest);
        painter.drawEllipse(m_found->place, 3, 3);
    }
    painter.setFont(textFont(-1));
    const QRect words = painter.fontMetrics().boundingRect(QRect(0, 0, 320, 200), Qt::TextWordWrap, m_found->text);
    QRect card = words.adjusted(-9, -6, 9, 6);
    card.moveTopLeft(m_found->place.toPoint() + QPoint(14, 10));
    // Within the picture, on the other side of the place where it must be.
    if (card.right() > width() - 8) card.moveRight(int(m_found->place.x()) - 14);
    if (card.bottom() > height() - 8) card.moveBottom(int(m_found->place.y()) - 10);
    painter.setPen(QPen(theme().rule, 1));
    painter.setBrush(theme().panel);
    painter.drawRoundedRect(QRectF(card).adjusted(0.5, 0.5, -0.5, -0.5), 6, 6);
    painter.setPen(theme().ink);
    painter.drawText(card.adjusted(9, 6, -9, -6), Qt::TextWordWrap, m_found->text);
}

TintKey::TintKey(QWidget* parent) : QWidget(parent) {
    setAttribute(Qt::WA_TransparentForMouseEvents);
    setNumbers({});
}

void TintKey::show(Tint tint, double toleranceMetres) {
    m_tint = tint;
    m_tolerance = toleranceMetres;
    setVisible(tint != Tint::None);
    update();
}

void TintKey::setNumbers(const QString& line) {
    m_numbers = line;
    constexpr int least = 228;
    const int wide = std::max(least, QFontMetrics(textFont(-2)).horizontalAdvance(line) + 2);
    setFixedSize(wide + 2 * keyMargin, 28 + (line.isEmpty() ? 0 : 18) + 2 * keyMargin);
    update();
    emit resized();
}

// The same colours as on the surface.
void TintKey::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    QColor ground = theme().panel;
    ground.setAlpha(205);
    painter.setPen(Qt::NoPen);
    painter.setBrush(ground);
    painter.drawRoundedRect(rect(), 6, 6);
    painter.translate(keyMargin, keyMargin);
    const double all = width() - 2 * keyMargin, quarter = all / 4;
    const auto fill = [&](double from, double to, const QColor& left, const QColor& right) {
        QLinearGradient gradient(from, 0, to, 0);
        gradient.setColorAt(0, left);
        gradient.setColorAt(1, right);
        painter.fillRect(QRectF(from, 0, to - from, 9), gradient);
    };
    QString left, middle, right;
    if (m_tint == Tint::PixelLoad) {
        fill(0, quarter, theme().clay, theme().clay);
        fill(quarter, all, theme().slightBlue, theme().blue);
        left = tr("4 px and more");
        right = tr("1/25 px a triangle");
    } else {
        // From the edge of what is fine to four times the tolerance, or eight times the texels.
        fill(0, 1.5 * quarter, theme().blue, theme().slightBlue);
        fill(1.5 * quarter, 2.5 * quarter, theme().clay, theme().clay);
        fill(2.5 * quarter, all, theme().amber, theme().brick);
        const QString end = QString::fromStdString(formatLength(4 * m_tolerance));
        const bool texels = m_tint == Tint::Texels;
        left = texels ? tr("8 texels a pixel") : "−" + end;
        middle = texels ? tr("1 to 1") : tr("within");
        right = texels ? tr("1/8 texel") : "+" + end;
    }
    painter.setFont(textFont(-2));
    painter.setPen(theme().ink);
    const QRect words(0, 13, int(all), 18);
    painter.drawText(words, Qt::AlignLeft, left);
    painter.drawText(words, Qt::AlignHCenter, middle);
    painter.drawText(words, Qt::AlignRight, right);
    painter.drawText(words.translated(0, 18), Qt::AlignRight, m_numbers);
}

AsSeenInset::AsSeenInset(QWidget* parent) : QWidget(parent) {
    setFixedSize(2 * pictureSize + 3 * inset, pictureSize + headingHeight + 2 * inset);
}

QSize AsSeenInset::pictureFor(const QSizeF& seen) {
    const bool isWide = seen.width() > pictureSize && seen.height() <= pictureSize;
    return {isWide ? 2 * pictureSize + inset : pictureSize, pictureSize};
}

void AsSeenInset::setPictures(const QImage& picture, const QImage& wiped) {
    m_picture = picture;
    m_wiped = wiped;
    const QString all = tr("The asset as the player sees it from the Sightline's marker, at its true size");
    setToolTip(isWide() ? all : tr("%1; beside it its top, enlarged").arg(all));
    update();
}

void AsSeenInset::setNext(const QImage& picture, double share) {
    m_next = picture;
    setShareOfNext(share);
}

void AsSeenInset::setShareOfNext(double share) {
    m_shareOfNext = share;
    update();
}

void AsSeenInset::setGone(bool gone) {
    if (gone == m_isGone) return;
    m_isGone = gone;
    update();
}

// Pixel by pixel one or the other, in the even pattern by which games dither.
QImage AsSeenInset::seen() const {
    static constexpr int order[4][4] = {{0, 8, 2, 10}, {12, 4, 14, 6}, {3, 11, 1, 9}, {15, 7, 13, 5}};
    QImage picture = m_picture;
    if (m_next.size() != picture.size() || !(m_shareOfNext > 0)) return picture;
    for (int y = 0; y < picture.height(); ++y)
        for (int x = 0; x < picture.width(); ++x)
            if (order[y % 4][x % 4] + 0.5 < 16 * m_shareOfNext) picture.setPixelColor(x, y, m_next.pixelColor(x, y));
    return picture;
}

void AsSeenInset::setName(const QString& name) {
    m_name = name;
    update();
}

void AsSeenInset::setViewer(double metres, double pixelsTall) {
    m_metres = metres;
    m_pixels = pixelsTall;
    update();
}

// The first row in which something stands out from the ground within some columns; the middle row where nothing does.
// The ground is alike along each row.
int AsSeenInset::topOfAsset(const QImage& picture, int left, int width) {
    const auto differs = [](QRgb a, QRgb b) {
        return std::abs(qRed(a) - qRed(b)) + std::abs(qGreen(a) - qGreen(b)) + std::abs(qBlue(a) - qBlue(b)) > 12;
    };
    for (int y = 0; y < picture.height(); ++y)
        for (int x = left; x < left + width; ++x)
            if (differs(picture.pixel(x, y), picture.pixel(0, y))) return y;
    return picture.height() / 2;
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
    const QString metres = QString::fromStdString(formatLength(m_metres));
    const auto atDistance = [&](const QString& name) { return tr("%1 at %2").arg(name, metres); };
    const QString pixels = tr("%1 px").arg(int(std::lround(m_pixels)));
    const QFontMetrics letters = painter.fontMetrics();
    const int forName =
        heading.width() - letters.horizontalAdvance(atDistance({})) - letters.horizontalAdvance(pixels) - inset;
    painter.drawText(heading, Qt::AlignLeft | Qt::AlignTop,
                     m_name.isEmpty() ? tr("As seen at %1").arg(metres)
                                      : atDistance(letters.elidedText(m_name, Qt::ElideMiddle, forName)));
    painter.setFont(textFont(-1));
    painter.setPen(theme().softInk);
    painter.drawText(heading, Qt::AlignRight | Qt::AlignTop, pixels);
    if (m_isGone) {
        painter.drawText(QRect(inset, inset + headingHeight, width() - 2 * inset, pictureSize), Qt::AlignCenter,
                         tr("gone: nothing is drawn from here"));
        return;
    }
    if (m_picture.isNull()) return;
    QImage picture = seen();
    if (m_wiped.size() == picture.size()) {
        QPainter halves(&picture);
        const QRect left(0, 0, picture.width() / 2, picture.height());
        halves.drawImage(left, m_wiped, left);
    }
    const QRect place(inset, inset + headingHeight, isWide() ? 2 * pictureSize + inset : pictureSize, pictureSize);
    painter.drawImage(place, picture);
    const auto partHalves = [&](const QRect& shown) {
        if (!m_wiped.isNull()) painter.fillRect(QRectF(shown.center().x(), shown.top(), 1, pictureSize), Qt::white);
    };
    if (isWide()) {
        partHalves(place);
        return;
    }
    // Crops the upper part of the asset, where outline and surface both show; small things are magnified more.
    const int factor = m_pixels < 40 ? 2 * cropFactor : cropFactor;
    const int side = picture.width() / factor;
    const int left = (picture.width() - side) / 2, top = topOfAsset(picture, left, side) - side / 4;
    const QRect crop(left, std::clamp(top, 0, picture.height() - side), side, side);
    const QRect beside = place.translated(pictureSize + inset, 0);
    painter.setRenderHint(QPainter::SmoothPixmapTransform, false);
    painter.drawImage(beside, picture, crop);
    partHalves(beside);
    painter.setFont(textFont(-2));
    const QRect tag(beside.right() - 23, beside.bottom() - 15, 24, 16);
    QColor ground = theme().panel;
    ground.setAlphaF(0.75f);
    painter.fillRect(tag, ground);
    painter.setPen(theme().ink);
    painter.drawText(tag, Qt::AlignCenter, tr("×%1").arg(factor));
}

}  // namespace um::app
