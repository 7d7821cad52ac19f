#include "app/panels/OutlinePanel.h"

#include "app/jobs/Job.h"
#include "app/panels/Widgets.h"
#include "app/theme/NumberText.h"
#include "app/theme/Theme.h"
#include "base/Units.h"

#include <cmath>
#include <QGridLayout>
#include <QHBoxLayout>
#include <QHelpEvent>
#include <QLabel>
#include <QMouseEvent>
#include <QPainter>
#include <QPushButton>
#include <QToolTip>
#include <QVBoxLayout>

namespace um::app {
namespace {

// The ring around the worst direction has room when that lies on the disc's edge.
constexpr int discSize = 74;
constexpr double discMiddle = discSize / 2.0, discRadius = 31, ringRadius = 4.5;

// Half a pixel is not seen; from four on it is a popping outline.
constexpr double unseenPixels = 0.5, plainPixels = 4;

QColor between(const QColor& a, const QColor& b, double share) {
    const auto mix = [&](int from, int to) { return int(std::lround(from + share * (to - from))); };
    return {mix(a.red(), b.red()), mix(a.green(), b.green()), mix(a.blue(), b.blue())};
}

QColor colorOf(double pixels) {
    if (pixels <= unseenPixels) return theme().clay;
    const double share = std::clamp(std::log(pixels / unseenPixels) / std::log(plainPixels / unseenPixels), 0.0, 1.0);
    return share < 0.5 ? between(theme().clay, theme().amber, 2 * share)
                       : between(theme().amber, theme().brick, 2 * share - 1);
}

// Equal areas of the front half of the sphere become equal areas of the disc of radius 1.
// Source: Lambert 1772, azimuthal equal-area projection.
Eigen::Vector2d onDisc(Vec3d towards) {
    if (towards.z() < 0) towards = -towards;
    const double flat = towards.head<2>().norm();
    const double radius = std::sqrt(std::max(0.0, 1 - towards.z()));
    return flat > 0 ? Eigen::Vector2d(towards.head<2>() * (radius / flat)) : Eigen::Vector2d(0, 0);
}

std::optional<Vec3d> fromDisc(const Eigen::Vector2d& place) {
    const double squared = place.squaredNorm();
    if (squared > 1) return std::nullopt;
    const double z = 1 - squared;
    const double flat = std::sqrt(std::max(0.0, 1 - z * z));
    const double radius = std::sqrt(squared);
    if (radius == 0) return Vec3d(0, 0, 1);
    return Vec3d(place.x() / radius * flat, place.y() / radius * flat, z);
}

}  // namespace

DirectionDisc::DirectionDisc(QWidget* parent) : QWidget(parent) {
    setFixedSize(discSize, discSize);
    setCursor(Qt::PointingHandCursor);
    setMouseTracking(true);
}

void DirectionDisc::setSilhouette(std::shared_ptr<const Silhouette> silhouette) {
    m_silhouette = std::move(silhouette);
    m_map = {};
    update();
}

void DirectionDisc::setEye(const Vec3d& towards) {
    m_eye = towards;
    update();
}

QPointF DirectionDisc::placeOf(const Vec3d& towards) const {
    const Eigen::Vector2d flat = onDisc(towards);
    return {discMiddle + discRadius * flat.x(), discMiddle - discRadius * flat.y()};
}

std::optional<std::size_t> DirectionDisc::viewAt(const QPointF& place) const {
    if (!m_silhouette || m_silhouette->views.empty()) return std::nullopt;
    const auto towards = fromDisc({(place.x() - discMiddle) / discRadius, -(place.y() - discMiddle) / discRadius});
    if (!towards) return std::nullopt;
    std::size_t best = 0;
    double nearest = -2;
    for (std::size_t i = 0; i < m_silhouette->directions.size(); ++i) {
        const double cosine = m_silhouette->directions[i].vector().dot(*towards);
        if (cosine <= nearest) continue;
        nearest = cosine;
        best = i;
    }
    return best;
}

void DirectionDisc::drawMap() {
    const double ratio = devicePixelRatioF();
    const int size = int(discSize * ratio);
    m_map = QImage(size, size, QImage::Format_ARGB32_Premultiplied);
    m_map.setDevicePixelRatio(ratio);
    m_map.fill(Qt::transparent);
    for (int y = 0; y < size; ++y)
        for (int x = 0; x < size; ++x) {
            const auto view = viewAt({(x + 0.5) / ratio, (y + 0.5) / ratio});
            if (view) m_map.setPixelColor(x, y, colorOf(m_silhouette->views[*view].max));
        }
}

void DirectionDisc::paintEvent(QPaintEvent*) {
    if (m_map.isNull() && m_silhouette) drawMap();
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    if (!m_map.isNull()) painter.drawImage(0, 0, m_map);
    painter.setPen(QPen(theme().rule, 1.5));
    painter.setBrush(Qt::NoBrush);
    painter.drawEllipse(QPointF(discMiddle, discMiddle), discRadius, discRadius);
    if (!m_silhouette || m_silhouette->views.empty()) return;
    // Where one looks from, small; the worst, with a ring.
    painter.setPen(Qt::NoPen);
    painter.setBrush(theme().ink);
    painter.drawEllipse(placeOf(m_eye), 2, 2);
    painter.setPen(QPen(theme().ink, 1.5));
    painter.setBrush(Qt::NoBrush);
    painter.drawEllipse(placeOf(m_silhouette->directions[m_silhouette->worst].vector()), ringRadius, ringRadius);
}

void DirectionDisc::mousePressEvent(QMouseEvent* event) {
    if (const auto view = viewAt(event->position())) emit chosen(m_silhouette->directions[*view]);
}

bool DirectionDisc::event(QEvent* event) {
    if (event->type() == QEvent::StyleChange) m_map = {};
    if (event->type() != QEvent::ToolTip) return QWidget::event(event);
    const auto* help = static_cast<QHelpEvent*>(event);
    const auto view = viewAt(help->pos());
    if (!view) return true;
    QToolTip::showText(
        help->globalPos(),
        tr("%1: at most %2 px, %3 % of the area. Click to look from there; the opposite side shows the "
           "same outline.")
            .arg(QString::fromStdString(describe(m_silhouette->directions[*view])),
                 number(m_silhouette->views[*view].max), number(100 * m_silhouette->views[*view].areaShare())),
        this);
    return true;
}

OutlinePanel::OutlinePanel(Job& measuring, QWidget* parent)
    : QWidget(parent),
      m_disc(new DirectionDisc),
      m_heading(makeHeading(tr("OUTLINE"))),
      m_most(new QLabel),
      m_mean(new QLabel),
      m_area(new QLabel),
      m_worst(makeQuietLabel()),
      m_tour(new QPushButton(tr("Play"))),
      m_look(new QPushButton(tr("Look there"))),
      m_cancel(new QPushButton(tr("Cancel"))) {
    auto* numbers = new QGridLayout;
    numbers->setHorizontalSpacing(6);
    numbers->setVerticalSpacing(2);
    int row = 0;
    for (const auto& [name, value, tip] :
         {std::tuple(tr("at most"), m_most, tr("largest distance between the outlines, from all sides")),
          std::tuple(tr("mean"), m_mean, tr("mean distance between the outlines, from all sides")),
          std::tuple(tr("area"), m_area, tr("what differs, as a share of the outlines' area"))}) {
        QLabel* label = makeQuietLabel(name);
        label->setToolTip(tip);
        value->setToolTip(tip);
        value->setFont(textFont(-1, row == 0 ? QFont::DemiBold : QFont::Normal));
        value->setAlignment(Qt::AlignRight);
        numbers->addWidget(label, row, 0);
        numbers->addWidget(value, row++, 1);
    }
    numbers->setColumnStretch(1, 1);
    m_look->setToolTip(tr("Look from where the outlines differ most"));
    m_tour->setToolTip(tr("Turns to the worst views one after another, and blinks to the source at each (V)"));
    auto* heading = new QHBoxLayout;
    heading->addWidget(m_heading, 1);
    for (QPushButton* button : {m_tour, m_look, m_cancel}) {
        button->setObjectName("small");
        button->setFont(textFont(-2));
        button->setFocusPolicy(Qt::TabFocus);
        button->hide();
        heading->addWidget(button);
    }
    m_worst->setFont(textFont(-2));
    auto* right = new QVBoxLayout;
    right->setSpacing(2);
    right->addLayout(numbers);
    right->addWidget(m_worst);
    auto* body = new QHBoxLayout;
    body->setSpacing(14);
    body->addWidget(m_disc, 0, Qt::AlignTop);
    body->addLayout(right, 1);
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(5);
    column->addWidget(makeRule());
    column->addLayout(heading);
    column->addLayout(body);
    connect(m_disc, &DirectionDisc::chosen, this, &OutlinePanel::lookWanted);
    connect(m_look, &QPushButton::clicked, this,
            [this] { emit lookWanted(m_silhouette->directions[m_silhouette->worst]); });
    connect(m_tour, &QPushButton::clicked, this, &OutlinePanel::toggleTour);
    connect(m_cancel, &QPushButton::clicked, &measuring, &Job::cancel);
    connect(&measuring, &Job::started, m_cancel, &QWidget::show);
    connect(&measuring, &Job::ended, m_cancel, &QWidget::hide);
    connect(&measuring, &Job::progressed, this, [this](double fraction) {
        if (!m_silhouette) m_worst->setText(tr("comparing … %1 %").arg(int(100 * fraction)));
    });
    connect(&measuring, &Job::cancelled, this, [this] {
        if (!m_silhouette) m_worst->setText(tr("not compared"));
    });
}

void OutlinePanel::show(std::shared_ptr<const Silhouette> silhouette, double heightPixels) {
    m_silhouette = std::move(silhouette);
    m_heading->setText(tr("OUTLINE AT %1 PX").arg(int(std::lround(heightPixels))));
    m_disc->setSilhouette(m_silhouette);
    for (QPushButton* button : {m_tour, m_look}) button->setVisible(m_silhouette && m_silhouette->max > 0);
    for (QLabel* label : {m_most, m_mean, m_area}) label->setText("–");
    m_worst->clear();
    if (!m_silhouette) return;
    m_most->setText(tr("%1 px").arg(number(m_silhouette->max)));
    m_mean->setText(tr("%1 px").arg(number(m_silhouette->mean)));
    m_area->setText(tr("%1 %").arg(number(100 * m_silhouette->areaShare)));
    if (m_silhouette->max > 0)
        m_worst->setText(QString::fromStdString(describe(m_silhouette->directions[m_silhouette->worst])));
}

void OutlinePanel::setTouring(bool plays) {
    m_isTouring = plays;
    m_tour->setText(plays ? tr("Stop") : tr("Play"));
}

void OutlinePanel::toggleTour() {
    emit tourWanted(!m_isTouring);
}

QString OutlinePanel::text(const QString& name) const {
    return name == "at most" ? m_most->text()
           : name == "mean"  ? m_mean->text()
           : name == "area"  ? m_area->text()
                             : m_worst->text();
}

}  // namespace um::app
