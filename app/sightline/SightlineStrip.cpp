#include "app/sightline/SightlineStrip.h"

#include "app/panels/Widgets.h"
#include "app/theme/Theme.h"
#include "base/Error.h"
#include "base/Units.h"

#include <cmath>
#include <QContextMenuEvent>
#include <QMenu>
#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>

namespace um::app {
namespace {

constexpr double leftMargin = 60, rightMargin = 24;
constexpr double top = 38;          // below the heading
constexpr double outlineRoom = 54;  // above what the outlines stand on
constexpr double bandHeight = 18, chartHeight = 40, wasteHeight = 7;
constexpr int heightAlone = 124, heightWithChain = 188;
constexpr double smallestPixels = 3;
constexpr double reach = 8;  // pixels within which a hand gets hold of something

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

SightlineStrip::SightlineStrip(QWidget* parent)
    : QWidget(parent), m_play(new QPushButton(this)), m_field(new CommitField(this)) {
    setFixedHeight(heightAlone);
    setMouseTracking(true);
    m_play->setObjectName("chip");
    m_play->setCheckable(true);
    m_play->setFocusPolicy(Qt::TabFocus);
    m_play->setToolTip(tr("Walks up to the asset and away again, with the levels changing as they would (Y)"));
    m_field->hide();
    m_field->setFixedWidth(92);
    m_field->setHint(tr("12 m, or 120 px tall; \"auto\" where the error allows it"));
    connect(m_play, &QPushButton::clicked, this, &SightlineStrip::playWanted);
    connect(m_field, &QLineEdit::editingFinished, m_field, &QWidget::hide);
    connect(m_field, &CommitField::committed, this,
            [this](const QString& text) { typeJoint(std::size_t(m_field->property("joint").toInt()), text); });
    setPlaying(false);
    m_play->hide();
}

std::vector<double> SightlineStrip::outlineHeights() {
    std::vector<double> heights;
    for (double height = 60; height > smallestPixels; height /= 1.55) heights.push_back(std::round(height));
    return heights;
}

void SightlineStrip::setAsset(double heightMetres, std::vector<CoverageMask> outlines) {
    m_assetHeight = heightMetres;
    m_outlines = std::move(outlines);
    m_pictures.clear();
    update();
}

void SightlineStrip::setScreen(const Screen& screen) {
    m_screen = screen;
    update();
}

void SightlineStrip::setChain(SightlineChain chain) {
    if (m_drags) return;  // what is in hand stays as it is held
    m_chain = std::move(chain);
    m_play->setVisible(!m_chain.levels.empty() && m_assetHeight > 0);
    // Without a chain there is no band and no corridor to make room for.
    setFixedHeight(m_chain.levels.empty() ? heightAlone : heightWithChain);
    update();
}

void SightlineStrip::setDrawn(int level) {
    if (m_drawn == level) return;
    m_drawn = level;
    update();
}

void SightlineStrip::setPlaying(bool plays) {
    m_play->setChecked(plays);
    m_play->setText(plays ? tr("Stop") : tr("Play"));
    m_play->adjustSize();
    m_play->move(width() - m_play->width() - int(rightMargin), 3);
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

SightlineScale SightlineStrip::scale() const {
    return {nearest(), farthest(), leftMargin, width() - rightMargin};
}

SightlineRows SightlineStrip::rows() const {
    SightlineRows rows;
    rows.outlineFloor = top + outlineRoom;
    rows.bandTop = rows.outlineFloor + 3;
    rows.bandBottom = rows.bandTop + bandHeight;
    rows.chartTop = rows.bandBottom + 5;
    rows.chartBottom = rows.chartTop + chartHeight;
    rows.wasteTop = rows.chartBottom + 2;
    rows.wasteBottom = rows.wasteTop + wasteHeight;
    return rows;
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

QPointF SightlineStrip::jointPlace(std::size_t joint) const {
    return {scale().xWithin(m_chain.jointAt(joint)), (rows().bandTop + rows().bandBottom) / 2};
}

int SightlineStrip::jointUnder(const QPointF& place) const {
    // The last one first: where several lie on one place, that one can be drawn away.
    for (std::size_t joint = m_chain.jointCount(); joint > 0 && !m_chain.levels.empty(); --joint) {
        const QPointF off = place - jointPlace(joint);
        if (std::abs(off.x()) <= reach && std::abs(off.y()) <= reach + 3) return int(joint);
    }
    return -1;
}

// Where the error just meets what is allowed is where one mostly wants to be.
double SightlineStrip::snapped(double metres, int joint) const {
    if (std::size_t(joint) >= m_chain.levels.size()) return metres;
    const LevelCost& cost = m_chain.levels[std::size_t(joint)].cost;
    if (!cost.error) return metres;
    const double allowed = cost.unnoticedFrom(m_screen, m_chain.switching);
    return std::abs(scale().xWithin(allowed) - scale().xOf(metres)) <= reach ? allowed : metres;
}

void SightlineStrip::dragJoint(double x) {
    const auto joint = std::size_t(m_held);
    double metres = scale().metresAt(x);
    // A joint stays between its neighbours.
    const double low = joint > 1 ? m_before->jointAt(joint - 1) : nearest();
    const double high = joint < m_chain.levels.size() ? m_before->jointAt(joint + 1) : farthest();
    metres = std::clamp(snapped(metres, m_held), std::max(low, nearest()), std::max(low, std::min(high, farthest())));
    if (joint < m_chain.levels.size())
        m_chain.band.from[joint] = metres;
    else
        m_chain.band.gone = metres >= farthest() * 0.999 ? std::numeric_limits<double>::infinity() : metres;
    setToolTip({});
    update();
}

void SightlineStrip::sendJoint(std::size_t joint, double metres) {
    if (joint < m_chain.levels.size())
        emit jointMoved(int(joint), metres);
    else
        emit goneMoved(std::isfinite(metres) && metres > 0 ? pixelsAt(metres) : 0);
}

void SightlineStrip::editJoint(std::size_t joint) {
    if (joint == 0 || joint > m_chain.jointCount()) return;
    const QPointF place = jointPlace(joint);
    const double at = m_chain.jointAt(joint);
    m_field->setProperty("joint", int(joint));
    m_field->showValue(std::isfinite(at) ? distanceText(at) : tr("never"));
    m_field->adjustSize();
    m_field->move(std::clamp(int(place.x()) - m_field->width() / 2, 4, width() - m_field->width() - 4),
                  int(rows().bandTop) - m_field->height() - 4);
    m_field->show();
    m_field->raise();
    m_field->selectAll();
    m_field->setFocus();
}

void SightlineStrip::typeJoint(std::size_t joint, const QString& text) {
    if (joint == 0 || joint > m_chain.jointCount()) return;
    const QString typed = text.trimmed().toLower();
    try {
        if (typed == "auto" || typed == "never" || typed.isEmpty()) {
            sendJoint(joint, 0);
        } else if (typed.endsWith("px")) {
            const auto pixels = parseNumberWithSuffix(typed.toStdString());
            if (!pixels || !(pixels->number > 0)) throw InputError("Type a height in pixels, such as 120 px.");
            sendJoint(joint, m_screen.distance(m_assetHeight, pixels->number));
        } else {
            const double metres = parseLength(typed.toStdString()).inMeshUnits(1);
            if (!(metres > 0)) throw InputError("Type a distance above 0, such as 12 m.");
            sendJoint(joint, metres);
        }
    } catch (const InputError& error) {
        emit problem(QString::fromUtf8(error.what()));
    }
}

QString SightlineStrip::jointText(std::size_t joint) const {
    const double at = m_chain.jointAt(joint);
    if (!std::isfinite(at)) return tr("always drawn; drag to where it may go");
    const QString where = tr("%1 · %2 px tall").arg(distanceText(at)).arg(std::lround(pixelsAt(at)));
    if (joint >= m_chain.levels.size()) return tr("gone from %1 on").arg(where);
    const SightlineLevel& level = m_chain.levels[joint];
    QString text = tr("%1 from %2").arg(level.name, where);
    if (level.cost.error)
        text += tr(" · off by %1 px").arg(QString::fromStdString(formatNumber(m_screen.pixels(*level.cost.error, at))));
    if (joint < m_chain.pops.size() && m_chain.pops[joint]) {
        const Pop& pop = *m_chain.pops[joint];
        text += tr(" · pop: %1 px of outline, %2 px of shading")
                    .arg(std::lround(pop.outline))
                    .arg(std::lround(pop.shading));
    }
    return text;
}

void SightlineStrip::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    painter.fillRect(rect(), theme().panel);
    painter.fillRect(QRect(0, 0, width(), 1), theme().rule);
    paintHeading(painter);
    if (m_assetHeight <= 0) return;
    paintScale(painter);
    paintOutlines(painter);
    const SightlineScale along = scale();
    const SightlineRows places = rows();
    const CorridorPainter corridor(m_chain, along, places, m_screen);
    if (!m_chain.levels.empty()) corridor.paint(painter, m_drawn, m_held);
    paintViewer(painter);
    if (!m_chain.levels.empty()) corridor.paintTexts(painter, m_drawn);
    paintHeld(painter);
}

void SightlineStrip::paintHeading(QPainter& painter) const {
    painter.setFont(headingFont());
    painter.setPen(theme().softInk);
    const QString title = tr("SIGHTLINE");
    painter.drawText(QPointF(16, 20), title);
    const double titleEnd = 16 + painter.fontMetrics().horizontalAdvance(title) + 14;
    painter.setFont(textFont(-1));
    const QString text = m_assetHeight <= 0 ? tr("viewing distance; open a mesh to see it at its true size")
                         : m_chain.levels.empty()
                             ? tr("the asset at its true size on the screen it is seen on, over distance")
                             : tr("which level is drawn from where, and what it costs the eye and the card");
    painter.drawText(QPointF(titleEnd, 20), text);
    if (m_chain.levels.empty() || m_assetHeight <= 0) return;
    // What the two lines of the corridor are.
    const std::pair<QString, QPen> lines[] = {{tr("outline"), QPen(theme().softInk, 1.2, Qt::DotLine)},
                                              {tr("proven deviation"), QPen(theme().ink, 1.6)}};
    double right = m_play->x() - 18;
    for (const auto& [name, pen] : lines) {
        const double textWidth = painter.fontMetrics().horizontalAdvance(name);
        painter.setPen(theme().softInk);
        painter.drawText(QPointF(right - textWidth, 20), name);
        painter.setPen(pen);
        painter.drawLine(QPointF(right - textWidth - 24, 16), QPointF(right - textWidth - 6, 16));
        right -= textWidth + 40;
    }
}

void SightlineStrip::paintScale(QPainter& painter) const {
    const SightlineScale along = scale();
    // Without a chain the distances stand right below the outlines.
    const double line = m_chain.levels.empty() ? rows().outlineFloor : rows().wasteBottom;
    painter.setFont(textFont(-2));
    const QFontMetricsF metrics(painter.font());
    double lastEnd = 0;
    for (double decade = std::pow(10, std::floor(std::log10(nearest()))); decade <= farthest(); decade *= 10)
        for (const double step : {1.0, 2.0, 5.0}) {
            const double metres = decade * step;
            if (metres < nearest() || metres > farthest()) continue;
            const double x = along.xOf(metres);
            const QString text = distanceText(metres);
            const double half = metrics.horizontalAdvance(text) / 2;
            painter.setPen(QPen(theme().rule, 1));
            painter.drawLine(QPointF(x, line), QPointF(x, line + 4));
            if (x - half < lastEnd + 10 || x + half > width() - 4) continue;
            lastEnd = x + half;
            painter.setPen(theme().softInk);
            painter.drawText(QPointF(x - half, line + 15), text);
        }
    painter.setPen(QPen(theme().rule, 1));
    if (m_chain.levels.empty()) painter.drawLine(QPointF(along.left, line), QPointF(along.right, line));
    painter.setPen(theme().softInk);
    painter.drawText(QRectF(0, line + 3, leftMargin - 8, 16), Qt::AlignRight | Qt::AlignVCenter, tr("distance"));
}

void SightlineStrip::paintOutlines(QPainter& painter) {
    if (m_pictures.size() != m_outlines.size() || m_pictureColor != theme().ink) {
        m_pictures.clear();
        m_pictureColor = theme().ink;
        for (const CoverageMask& outline : m_outlines) m_pictures.push_back(imageOf(outline, m_pictureColor));
    }
    // A pixel of an outline is one of the screen's, where the rest is drawn larger too: it is what that screen shows.
    const QTransform toScreen = painter.deviceTransform(), fromScreen = toScreen.inverted();
    const double ratio = toScreen.m11();
    const std::vector<double> heights = outlineHeights();
    const double line = rows().outlineFloor;
    m_taken.clear();
    double lastEnd = leftMargin - 20, outlineEnd = 0;
    painter.setFont(textFont(-2));
    const QFontMetricsF metrics(painter.font());
    for (std::size_t i = 0; i < std::min(heights.size(), m_pictures.size()); ++i) {
        const double x = scale().xOf(m_screen.distance(m_assetHeight, heights[i]));
        const QImage& image = m_pictures[i];
        const double imageWidth = image.width() / ratio, imageHeight = image.height() / ratio;
        if (x - imageWidth / 2 < outlineEnd) continue;  // wide things leave room for fewer
        outlineEnd = x + imageWidth / 2;
        // Nor is it one that is shifted by half a pixel.
        const QPoint corner = toScreen.map(QPointF(x - imageWidth / 2, line - imageHeight)).toPoint();
        painter.drawImage(QRectF(fromScreen.map(QPointF(corner)), QSizeF(imageWidth, imageHeight)), image);
        m_taken.emplace_back(x - imageWidth / 2, line - imageHeight, imageWidth, imageHeight);
        const QString text = tr("%1 px").arg(heights[i]);
        const double begin = x + imageWidth / 2 + 5, textEnd = begin + metrics.horizontalAdvance(text);
        if (begin < lastEnd + 8) continue;
        lastEnd = textEnd;
        outlineEnd = std::max(outlineEnd, textEnd + 4);
        painter.setPen(theme().softInk);
        painter.drawText(QPointF(begin, line - 2), text);
    }
}

void SightlineStrip::paintViewer(QPainter& painter) const {
    if (m_viewer <= 0) return;
    const double x = scale().xWithin(m_viewer);
    const double bottom = m_chain.levels.empty() ? rows().outlineFloor + 5 : rows().wasteBottom;
    painter.setPen(QPen(theme().brick, 1.5));
    painter.drawLine(QPointF(x, top - 2), QPointF(x, bottom));
    QPainterPath marker;
    marker.moveTo(x - 6, top - 8);
    marker.lineTo(x + 6, top - 8);
    marker.lineTo(x, top + 1);
    marker.closeSubpath();
    painter.fillPath(marker, theme().brick);
    const QString text = tr("%1 · %2 px tall").arg(distanceText(m_viewer)).arg(int(std::lround(pixelsAt(m_viewer))));
    painter.setFont(textFont(-1, QFont::DemiBold));
    const double textWidth = painter.fontMetrics().horizontalAdvance(text);
    // On the side where it covers no outline, if there is room; else it is cut out of the outline.
    const QRectF right(x + 8, top - 12, textWidth + 6, 16), left = right.translated(-textWidth - 22, 0);
    const auto isFree = [&](const QRectF& place) {
        return place.left() > 4 && place.right() < width() - 4 &&
               std::none_of(m_taken.begin(), m_taken.end(), [&](const QRectF& one) { return one.intersects(place); });
    };
    const bool goesLeft = right.right() > width() - 4 || (!isFree(right) && isFree(left));
    const QRectF place = goesLeft ? left : right;
    painter.setPen(Qt::NoPen);
    painter.setBrush(theme().panel);
    painter.drawRoundedRect(place, 4, 4);
    painter.setPen(theme().brick);
    painter.drawText(place.adjusted(3, 0, 0, 0), Qt::AlignLeft | Qt::AlignVCenter, text);
}

// What is pointed at or dragged tells its place above itself.
void SightlineStrip::paintHeld(QPainter& painter) const {
    if (m_held < 0 || m_field->isVisible()) return;
    const QString text = jointText(std::size_t(m_held));
    painter.setFont(textFont(-1, QFont::DemiBold));
    const double textWidth = painter.fontMetrics().horizontalAdvance(text) + 16;
    const double x = std::clamp(jointPlace(std::size_t(m_held)).x() - textWidth / 2, 6.0, width() - textWidth - 6);
    const QRectF place(x, rows().bandTop - 26, textWidth, 21);
    painter.setPen(QPen(theme().rule, 1));
    painter.setBrush(theme().panel);
    painter.drawRoundedRect(place, 5, 5);
    painter.setPen(theme().ink);
    painter.drawText(place, Qt::AlignCenter, text);
}

void SightlineStrip::mousePressEvent(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton || m_assetHeight <= 0) return;
    m_held = jointUnder(event->position());
    if (m_held >= 0) {
        m_drags = true;
        m_before = m_chain;
        return;
    }
    const SightlineRows places = rows();
    const double y = event->position().y();
    if (!m_chain.levels.empty() && y >= places.bandTop && y <= places.bandBottom) {
        const int level = m_chain.band.at(scale().metresAt(event->position().x()));
        if (level >= 0) emit levelChosen(level);
        return;
    }
    moveViewer(scale().metresAt(event->position().x()));
}

void SightlineStrip::mouseMoveEvent(QMouseEvent* event) {
    if (m_assetHeight <= 0) return;
    const bool pressed = (event->buttons() & Qt::LeftButton) != 0;
    if (m_drags && pressed) {
        dragJoint(event->position().x());
        return;
    }
    const int under = pressed ? -1 : jointUnder(event->position());
    if (under != m_held) {
        m_held = under;
        update();
    }
    const SightlineRows places = rows();
    const double y = event->position().y();
    const bool onBand = !m_chain.levels.empty() && y >= places.bandTop && y <= places.bandBottom;
    const bool near = std::abs(event->position().x() - scale().xWithin(m_viewer)) < reach;
    setCursor(under >= 0 || (near && !onBand) || pressed ? Qt::SizeHorCursor
              : onBand                                   ? Qt::PointingHandCursor
                                                         : Qt::ArrowCursor);
    setToolTip(under >= 0 ? tr("Drag to where it takes over, or double-click to type it")
               : onBand   ? tr("Shows the level that is drawn here")
                          : tr("Drag the red marker, or press [ and ], to stand nearer or farther away"));
    if (pressed && !onBand) moveViewer(scale().metresAt(event->position().x()));
}

void SightlineStrip::mouseReleaseEvent(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton || !m_drags) return;
    m_drags = false;
    const auto joint = std::size_t(m_held);
    const double at = m_chain.jointAt(joint), before = m_before->jointAt(joint);
    m_before.reset();
    if (at != before) sendJoint(joint, at);
}

void SightlineStrip::mouseDoubleClickEvent(QMouseEvent* event) {
    m_drags = false;
    if (const int joint = jointUnder(event->position()); joint >= 0)
        editJoint(std::size_t(joint));
    else
        mousePressEvent(event);
}

void SightlineStrip::contextMenuEvent(QContextMenuEvent* event) {
    const int joint = jointUnder(event->pos());
    if (joint < 0) return;
    QMenu menu(this);
    menu.addAction(tr("Type its distance …"), this, [this, joint] { editJoint(std::size_t(joint)); });
    menu.addAction(std::size_t(joint) < m_chain.levels.size() ? tr("Where its error allows it") : tr("Always drawn"),
                   this, [this, joint] { sendJoint(std::size_t(joint), 0); });
    menu.exec(event->globalPos());
}

void SightlineStrip::leaveEvent(QEvent*) {
    if (m_drags) return;
    m_held = -1;
    update();
}

void SightlineStrip::resizeEvent(QResizeEvent*) {
    setPlaying(m_play->isChecked());
}

}  // namespace um::app
