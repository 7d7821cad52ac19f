#include "app/sightline/CorridorPainter.h"

#include "app/theme/Theme.h"
#include "base/Units.h"

#include <cmath>
#include <QCoreApplication>

namespace um::app {
namespace {

// The chart reaches from an eighth of the allowed error to four times it.
constexpr double leastShare = 1.0 / 8, mostShare = 4;

// Names up to that are not shortened: "LOD 12".
constexpr double widestName = 44;

struct SightlineText {
    Q_DECLARE_TR_FUNCTIONS(Sightline)
};

QColor mixed(const QColor& a, const QColor& b, double share) {
    return QColor::fromRgbF(float(a.redF() + share * (b.redF() - a.redF())),
                            float(a.greenF() + share * (b.greenF() - a.greenF())),
                            float(a.blueF() + share * (b.blueF() - a.blueF())));
}

}  // namespace

double CorridorPainter::yOf(double pixels) const {
    const double share = std::clamp(pixels / m_chain.switching.allowedPixels, leastShare, mostShare);
    const double down = std::log(mostShare / share) / std::log(mostShare / leastShare);
    return m_rows.chartTop + down * (m_rows.chartBottom - m_rows.chartTop);
}

double CorridorPainter::begin(std::size_t level) const {
    return std::clamp(m_chain.band.from[level], m_scale.nearest, m_scale.farthest);
}

double CorridorPainter::end(std::size_t level) const {
    return std::clamp(m_chain.jointAt(level + 1), m_scale.nearest, m_scale.farthest);
}

void CorridorPainter::paint(QPainter& painter, int drawn, int held) const {
    paintBand(painter, drawn);
    paintHysteresis(painter);
    paintErrors(painter);
    paintWaste(painter);
    paintJoints(painter, held);
}

void CorridorPainter::paintBand(QPainter& painter, int drawn) const {
    painter.setPen(Qt::NoPen);
    for (const Segment& segment : segments(drawn)) {
        painter.setBrush(segment.color);
        painter.drawRect(segment.place);
    }
}

// One for each level that has room, and one for where nothing is drawn any more.
std::vector<CorridorPainter::Segment> CorridorPainter::segments(int drawn) const {
    std::vector<Segment> result;
    const auto add = [&](double from, double to, const QColor& color, const QColor& textColor, const QString& name,
                         const QString& count) {
        const QRectF place(m_scale.xOf(from), m_rows.bandTop, m_scale.xOf(to) - m_scale.xOf(from) - 1,
                           m_rows.bandBottom - m_rows.bandTop);
        if (place.width() > 0) result.push_back({place, color, textColor, name, count});
    };
    for (std::size_t i = 0; i < m_chain.levels.size(); ++i) {
        const double share = m_chain.levels.size() > 1 ? double(i) / double(m_chain.levels.size() - 1) : 0;
        const bool isDrawn = int(i) == drawn;
        const QColor color = isDrawn ? theme().accent : mixed(theme().ink, theme().softInk, 0.25 + 0.75 * share);
        add(begin(i), end(i), color, isDrawn ? theme().onAccent : theme().panel, m_chain.levels[i].name,
            QString::fromStdString(formatShortCount(m_chain.levels[i].triangles)));
    }
    if (m_chain.band.gone < m_scale.farthest)
        add(std::max(m_chain.band.gone, m_scale.nearest), m_scale.farthest, theme().rule, theme().ink,
            SightlineText::tr("gone"), {});
    return result;
}

void CorridorPainter::paintTexts(QPainter& painter, int drawn) const {
    const auto write = [&](const QRectF& place, Qt::Alignment side, const QString& text, const QColor& ground) {
        const QRectF written = painter.boundingRect(place, int(side | Qt::AlignVCenter), text);
        painter.fillRect(written.adjusted(-2, 1, 2, -1), ground);
        painter.drawText(place, int(side | Qt::AlignVCenter), text);
    };
    painter.setFont(textFont(-2, QFont::DemiBold));
    const QFontMetricsF metrics(painter.font());
    for (const Segment& segment : segments(drawn)) {
        const QRectF room = segment.place.adjusted(9, 0, -8, 0);
        const double forCount = segment.count.isEmpty() ? 0 : metrics.horizontalAdvance(segment.count) + 10;
        const QString name =
            metrics.elidedText(segment.name, Qt::ElideMiddle, std::max(widestName, room.width() - forCount));
        const double nameWidth = metrics.horizontalAdvance(name);
        painter.setPen(segment.textColor);
        if (nameWidth <= room.width()) write(room, Qt::AlignLeft, name, segment.color);
        if (!segment.count.isEmpty() && nameWidth + forCount <= room.width())
            write(room, Qt::AlignRight, segment.count, segment.color);
    }
    painter.setFont(textFont(-3));
    painter.setPen(theme().softInk);
    for (std::size_t joint = 1; joint < std::min(m_chain.jointCount() + 1, m_chain.pops.size()); ++joint) {
        const double at = m_chain.jointAt(joint);
        if (at < m_scale.nearest || !m_chain.pops[joint]) continue;
        const double x = m_scale.xWithin(at), next = m_scale.xWithin(m_chain.jointAt(joint + 1));
        const QString text = SightlineText::tr("pop %1 %").arg(std::lround(100 * m_chain.pops[joint]->share()));
        if (painter.fontMetrics().horizontalAdvance(text) + 8 >= next - x) continue;
        const QRectF place(x + 4, m_rows.chartBottom - 13, next - x - 4, 13);
        write(place, Qt::AlignLeft, text, theme().panel);
    }
}

// How much nearer one has to come before the finer level is back; and where both are dithered.
void CorridorPainter::paintHysteresis(QPainter& painter) const {
    for (std::size_t joint = 1; joint <= m_chain.jointCount(); ++joint) {
        const double at = m_chain.jointAt(joint);
        if (!std::isfinite(at) || at <= m_scale.nearest || at > m_scale.farthest) continue;
        const double x = m_scale.xOf(at);
        if (m_chain.switching.hysteresis > 0) {
            const double from = m_scale.xWithin(at * (1 - m_chain.switching.hysteresis));
            painter.fillRect(QRectF(from, m_rows.bandBottom + 1, x - from, 2), theme().softInk);
        }
        if (m_chain.switching.crossFade > 0) {
            const double from = m_scale.xWithin(at * (1 - m_chain.switching.crossFade));
            painter.fillRect(QRectF(from, m_rows.bandTop, x - from - 1, m_rows.bandBottom - m_rows.bandTop),
                             QBrush(theme().panel, Qt::Dense5Pattern));
        }
    }
}

void CorridorPainter::paintErrors(QPainter& painter) const {
    const double line = yOf(m_chain.switching.allowedPixels);
    QColor veil = theme().amber;
    veil.setAlphaF(0.10f);
    painter.fillRect(QRectF(m_scale.left, m_rows.chartTop, m_scale.right - m_scale.left, line - m_rows.chartTop), veil);
    for (std::size_t i = 0; i < m_chain.levels.size(); ++i) {
        const LevelCost& cost = m_chain.levels[i].cost;
        if (cost.outlineError) paintError(painter, i, *cost.outlineError, true);
        if (cost.error) paintError(painter, i, *cost.error, false);
    }
    painter.setPen(QPen(theme().amber, 1, Qt::DashLine));
    painter.drawLine(QPointF(m_scale.left, line), QPointF(m_scale.right, line));
    painter.setFont(textFont(-2, QFont::DemiBold));
    painter.setPen(theme().amber);
    painter.drawText(
        QRectF(0, line - 8, m_scale.left - 8, 16), Qt::AlignRight | Qt::AlignVCenter,
        SightlineText::tr("%1 px").arg(QString::fromStdString(formatNumber(m_chain.switching.allowedPixels))));
}

void CorridorPainter::paintError(QPainter& painter, std::size_t level, double error, bool isOutline) const {
    const double from = begin(level), to = end(level);
    if (!(to > from) || !(error > 0)) return;
    const auto place = [&](double metres) { return QPointF(m_scale.xOf(metres), yOf(m_screen.pixels(error, metres))); };
    const double allowed = m_screen.distance(error, m_chain.switching.allowedPixels);
    if (!isOutline && allowed > from) {
        // What the eye would notice, filled. The chart ends at its top, where the line goes level.
        const double full = std::clamp(m_screen.distance(error, mostShare * m_chain.switching.allowedPixels), from, to);
        const double until = std::min(allowed, to);
        const double line = yOf(m_chain.switching.allowedPixels);
        QColor fill = theme().amber;
        fill.setAlphaF(0.55f);
        painter.setPen(Qt::NoPen);
        painter.setBrush(fill);
        painter.drawPolygon(QPolygonF{QPointF(m_scale.xOf(from), line), place(from), place(full), place(until),
                                      QPointF(m_scale.xOf(until), line)});
    }
    const double top = std::clamp(m_screen.distance(error, mostShare * m_chain.switching.allowedPixels), from, to);
    const double bottom = std::clamp(m_screen.distance(error, leastShare * m_chain.switching.allowedPixels), from, to);
    painter.setPen(isOutline ? QPen(theme().softInk, 1.2, Qt::DotLine) : QPen(theme().ink, 1.6));
    painter.drawPolyline(QPolygonF{place(from), place(top), place(bottom), place(to)});
}

// Where the triangles of the level in use are below the floor.
void CorridorPainter::paintWaste(QPainter& painter) const {
    const QRectF row(m_scale.left, m_rows.wasteTop, m_scale.right - m_scale.left, m_rows.wasteBottom - m_rows.wasteTop);
    QColor ground = theme().rule;
    ground.setAlphaF(0.45f);
    painter.fillRect(row, ground);
    for (std::size_t i = 0; i < m_chain.levels.size(); ++i) {
        const double from =
            std::max(begin(i), m_chain.levels[i].cost.wastedFrom(m_chain.size, m_screen, m_chain.switching));
        const double to = end(i);
        if (!(to > from)) continue;
        const QRectF wasted(m_scale.xOf(from), row.top(), m_scale.xOf(to) - m_scale.xOf(from) - 1, row.height());
        QColor fill = theme().slightBlue;
        fill.setAlphaF(0.45f);
        painter.fillRect(wasted, fill);
        painter.setClipRect(wasted);
        painter.setPen(QPen(theme().blue, 1));
        for (double x = wasted.left() - row.height(); x < wasted.right(); x += 5)
            painter.drawLine(QPointF(x, row.bottom()), QPointF(x + row.height(), row.top()));
        painter.setClipping(false);
    }
    painter.setFont(textFont(-2));
    painter.setPen(theme().blue);
    painter.drawText(QRectF(0, row.center().y() - 8, m_scale.left - 8, 16), Qt::AlignRight | Qt::AlignVCenter,
                     SightlineText::tr("wasted"));
}

void CorridorPainter::paintJoints(QPainter& painter, int held) const {
    for (std::size_t joint = 1; joint <= m_chain.jointCount(); ++joint) {
        const double at = m_chain.jointAt(joint);
        if (at < m_scale.nearest) continue;
        const double x = m_scale.xWithin(at);
        painter.setPen(QPen(theme().panel, 2));
        painter.drawLine(QPointF(x, m_rows.bandTop), QPointF(x, m_rows.wasteBottom));
        painter.setPen(QPen(theme().rule, 1));
        painter.drawLine(QPointF(x, m_rows.bandBottom), QPointF(x, m_rows.wasteBottom));
        const double radius = int(joint) == held ? 6 : 4.5;
        painter.setPen(QPen(int(joint) == held ? theme().accent : theme().ink, 1.6));
        painter.setBrush(theme().panel);
        painter.drawEllipse(QPointF(x, (m_rows.bandTop + m_rows.bandBottom) / 2), radius, radius);
    }
}

}  // namespace um::app
