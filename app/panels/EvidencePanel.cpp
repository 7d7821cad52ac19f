#include "app/panels/EvidencePanel.h"

#include "app/jobs/Job.h"
#include "app/panels/Widgets.h"
#include "app/theme/Theme.h"
#include "base/Units.h"

#include <cmath>
#include <QBarCategoryAxis>
#include <QBarSet>
#include <QChart>
#include <QChartView>
#include <QGraphicsLayout>
#include <QGridLayout>
#include <QHBoxLayout>
#include <QMouseEvent>
#include <QStackedBarSeries>
#include <QStyle>
#include <QValueAxis>
#include <QVBoxLayout>
#include <utility>

namespace um::app {
namespace {

constexpr int bins = 35;

// As tall as is pleasant, and lower where the window is.
class BarsView : public QChartView {
public:
    explicit BarsView(QChart* chart) : QChartView(chart) {
        setFocusPolicy(Qt::NoFocus);
        setSizePolicy(QSizePolicy::Preferred, QSizePolicy::Preferred);
        setMinimumHeight(34);
        setMaximumHeight(pleasantHeight);
    }
    QSize sizeHint() const override { return {200, pleasantHeight}; }

private:
    static constexpr int pleasantHeight = 58;
};

QString length(double metres) {
    return QString::fromStdString(formatLength(metres));
}

}  // namespace

EvidencePanel::EvidencePanel(Job& measuring, QWidget* parent)
    : QWidget(parent),
      m_headline(new QLabel),
      m_nothing(makeQuietLabel()),
      m_measure(new QPushButton(tr("Measure"))),
      m_worst(new QPushButton(tr("Go there"))),
      m_body(new QWidget),
      m_chart(new QChart),
      m_chartView(new BarsView(m_chart)),
      m_numbers(new QGridLayout),
      m_progress(new JobStrip(measuring, tr("Measuring"))) {
    m_headline->setObjectName("good");
    auto* heading = new QHBoxLayout;
    heading->addWidget(makeHeading(tr("DEVIATION")), 1);
    heading->addWidget(m_headline);
    m_nothing->setWordWrap(true);

    m_chart->legend()->hide();
    m_chart->setMargins(QMargins(0, 0, 0, 0));
    m_chart->setBackgroundVisible(false);
    m_chart->layout()->setContentsMargins(0, 0, 0, 0);
    m_chartView->setRenderHint(QPainter::Antialiasing);
    m_chartView->setFrameShape(QFrame::NoFrame);
    m_chartView->setBackgroundBrush(Qt::NoBrush);
    m_chartView->setStyleSheet("background: transparent");
    m_chartView->setToolTip(
        tr("How the signed distances are spread, both ways: inside the source to the left, outside to the right. "
           "Drag the edge of the middle band to set the tolerance"));
    m_chartView->viewport()->setMouseTracking(true);
    m_chartView->viewport()->installEventFilter(this);
    auto* scale = new QHBoxLayout;
    scale->setContentsMargins(0, 0, 0, 0);
    const Qt::Alignment sides[] = {Qt::AlignLeft, Qt::AlignHCenter, Qt::AlignRight};
    for (std::size_t i = 0; i < 3; ++i) {
        m_scale[i] = makeQuietLabel();
        m_scale[i]->setFont(textFont(-2));
        m_scale[i]->setAlignment(sides[i]);
        scale->addWidget(m_scale[i], 1);
    }
    m_numbers->setContentsMargins(0, 2, 0, 0);
    m_numbers->setHorizontalSpacing(6);
    m_numbers->setVerticalSpacing(3);
    const std::tuple<const char*, QString, QString> rows[] = {
        {"max", tr("max"), tr("the largest distance that was sampled")},
        {"at most", tr("at most"), tr("no point of either surface is farther off than this: proven, not sampled")},
        {"rms", tr("rms"), tr("root of the mean square, over the area")},
        {"mean", tr("mean"), tr("mean absolute distance, over the area")},
        {"p95", tr("p95"), tr("95 % of the area is closer than this")},
        {"p99", tr("p99"), tr("99 % of the area is closer than this")}};
    int at = 0;
    for (const auto& [key, name, tip] : rows) {
        QLabel* label = makeQuietLabel(name);
        auto* value = new QLabel;
        value->setFont(textFont(-1, at == 0 ? QFont::DemiBold : QFont::Normal));
        value->setAlignment(Qt::AlignRight);
        label->setToolTip(tip);
        value->setToolTip(tip);
        m_numbers->addWidget(label, at / 2, (at % 2) * 3);
        m_numbers->addWidget(value, at / 2, (at % 2) * 3 + 1);
        m_values.emplace_back(key, value);
        ++at;
    }
    // Beside the largest one: where it is.
    m_worst->setObjectName("small");
    m_worst->setFont(textFont(-2));
    m_worst->setFocusPolicy(Qt::TabFocus);
    m_worst->setToolTip(tr("To the largest deviation; again, to the next one (X, and back with Shift+X)"));
    connect(m_worst, &QPushButton::clicked, this, &EvidencePanel::worstWanted);
    heading->insertWidget(1, m_worst);
    m_numbers->setColumnStretch(1, 1);
    m_numbers->setColumnStretch(4, 1);
    m_numbers->setColumnMinimumWidth(2, 14);
    auto* body = new QVBoxLayout(m_body);
    body->setContentsMargins(0, 0, 0, 0);
    body->setSpacing(3);
    body->addWidget(m_chartView);
    body->addLayout(scale);
    body->addLayout(m_numbers);
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(6);
    column->addLayout(heading);
    column->addWidget(m_nothing);
    column->addWidget(m_measure, 0, Qt::AlignLeft);
    column->addWidget(m_body);
    column->addWidget(m_progress);
    m_body->hide();
    m_measure->hide();
    connect(m_measure, &QPushButton::clicked, this, &EvidencePanel::measureWanted);
    connect(&measuring, &Job::started, m_measure, &QWidget::hide);
}

QString EvidencePanel::headline() const {
    return m_headline->text();
}

QString EvidencePanel::number(const QString& name) const {
    for (const auto& [key, value] : m_values)
        if (key == name) return value->text();
    return {};
}

void EvidencePanel::show(const Level* level, double toleranceMetres, bool isMeasuring) {
    const bool measured = level != nullptr && level->evidence;
    m_body->setVisible(measured);
    m_nothing->setVisible(!measured);
    m_headline->setVisible(measured);
    m_worst->setVisible(measured);
    m_measure->setVisible(level != nullptr && !measured && !isMeasuring);
    if (!measured) {
        m_deviation.reset();
        m_isDragging = false;
        m_headline->clear();
        m_nothing->setText(level == nullptr ? tr("This is the source: everything is measured against it.")
                           : isMeasuring    ? tr("Both surfaces are being compared.")
                                            : tr("Not measured yet."));
        return;
    }
    m_deviation = level->evidence;
    m_metresPerUnit = level->mesh->metresPerUnit;
    const double values[] = {m_deviation->max,  m_deviation->maxBound, m_deviation->rms,
                             m_deviation->mean, m_deviation->p95,      m_deviation->p99};
    for (std::size_t i = 0; i < m_values.size(); ++i) m_values[i].second->setText(length(values[i] * m_metresPerUnit));
    if (m_isDragging) return;
    const double reach = m_deviation->distribution.reach() * m_metresPerUnit;
    m_range = std::min(std::max(reach, toleranceMetres),
                       std::max(2 * toleranceMetres, 1.2 * m_deviation->p99 * m_metresPerUnit));
    showWithin(toleranceMetres);
}

void EvidencePanel::showWithin(double toleranceMetres) {
    m_tolerance = toleranceMetres;
    const double within = m_deviation->distribution.shareWithin(toleranceMetres / m_metresPerUnit);
    // 99.97 % is not "100 %".
    const double percent = within >= 1 ? 100 : std::min(99.9, 100 * within);
    m_headline->setText(tr("%1 % within").arg(percent, 0, 'f', percent < 100 ? 1 : 0));
    m_headline->setToolTip(tr("share of the area, both ways, within the tolerance of %1").arg(length(toleranceMetres)));
    drawHistogram(toleranceMetres);
}

QWidget& EvidencePanel::histogram() const {
    return *m_chartView->viewport();
}

QPointF EvidencePanel::placeInHistogram(double metres) const {
    const QRectF plot = m_chart->plotArea();
    return {plot.center().x() + metres / m_range * plot.width() / 2, plot.center().y()};
}

// To two figures: nobody drags to a thousandth of a millimetre.
double EvidencePanel::lengthAt(double x) const {
    const QRectF plot = m_chart->plotArea();
    const double share = std::abs(x - plot.center().x()) / std::max(1.0, plot.width() / 2);
    const double metres = m_range * std::clamp(share, 0.005, 1.0);
    const double step = std::pow(10, std::floor(std::log10(metres)) - 1);
    return std::round(metres / step) * step;
}

bool EvidencePanel::eventFilter(QObject* watched, QEvent* event) {
    if (m_deviation && m_range > 0 && watched == m_chartView->viewport()) {
        const auto* mouse = dynamic_cast<QMouseEvent*>(event);
        constexpr double reach = 6;
        const auto isAtEdge = [&](double x) {
            return std::abs(x - placeInHistogram(m_tolerance).x()) < reach ||
                   std::abs(x - placeInHistogram(-m_tolerance).x()) < reach;
        };
        if (event->type() == QEvent::MouseButtonPress && isAtEdge(mouse->position().x())) {
            m_isDragging = true;
            return true;
        }
        if (event->type() == QEvent::MouseMove) {
            const double x = mouse->position().x();
            m_chartView->viewport()->setCursor(m_isDragging || isAtEdge(x) ? Qt::SizeHorCursor : Qt::ArrowCursor);
            if (!m_isDragging) return false;
            showWithin(lengthAt(x));
            emit toleranceDragged(m_tolerance);
            return true;
        }
        if (event->type() == QEvent::MouseButtonRelease && std::exchange(m_isDragging, false)) {
            emit toleranceChosen(m_tolerance);
            return true;
        }
    }
    return QWidget::eventFilter(watched, event);
}

void EvidencePanel::drawHistogram(double toleranceMetres) {
    const double range = m_range;
    const std::vector<double> shares = m_deviation->distribution.histogram(bins, range / m_metresPerUnit);
    auto* inward = new QBarSet("inward");
    auto* within = new QBarSet("within");
    auto* outward = new QBarSet("outward");
    double highest = 0;
    for (int i = 0; i < bins; ++i) {
        const double middle = ((i + 0.5) / bins * 2 - 1) * range;
        const double share = std::sqrt(shares[std::size_t(i)]);  // so that the thin tails, which matter, can be seen
        highest = std::max(highest, share);
        *inward << (middle < -toleranceMetres ? share : 0.0);
        *within << (std::abs(middle) <= toleranceMetres ? share : 0.0);
        *outward << (middle > toleranceMetres ? share : 0.0);
    }
    const std::pair<QBarSet*, QColor> colors[] = {
        {inward, theme().blue}, {within, theme().clay.darker(112)}, {outward, theme().amber}};
    auto* series = new QStackedBarSeries;
    for (const auto& [set, color] : colors) {
        set->setColor(color);
        set->setBorderColor(Qt::transparent);
        series->append(set);
    }
    series->setBarWidth(0.86);
    m_chart->removeAllSeries();
    for (QAbstractAxis* axis : m_chart->axes()) {
        m_chart->removeAxis(axis);
        delete axis;
    }
    m_chart->addSeries(series);
    auto* heights = new QValueAxis;
    heights->setRange(0, std::max(1e-9, highest));
    heights->setVisible(false);
    auto* places = new QBarCategoryAxis;
    places->setVisible(false);
    m_chart->addAxis(heights, Qt::AlignLeft);
    m_chart->addAxis(places, Qt::AlignBottom);
    series->attachAxis(heights);
    series->attachAxis(places);
    m_scale[0]->setText("−" + length(range));
    m_scale[1]->setText(tr("within ±%1").arg(length(toleranceMetres)));
    m_scale[2]->setText("+" + length(range));
}

}  // namespace um::app
