#include "app/panels/TargetPanel.h"

#include "app/panels/Widgets.h"
#include "app/theme/Theme.h"
#include "base/Error.h"

#include <cmath>
#include <QHBoxLayout>
#include <QSignalBlocker>
#include <QSlider>
#include <QStyle>
#include <QVBoxLayout>

namespace um::app {
namespace {

// The slider runs over the logarithm of the count, from this share of the source to all of it.
constexpr double leastTargetShare = 1e-4;
constexpr int sliderSteps = 400;

}  // namespace

TargetPanel::TargetPanel(Job& reducing, QWidget* parent)
    : QWidget(parent),
      m_field(new QLineEdit),
      m_button(new QPushButton(tr("Reduce"))),
      m_thorough(new QPushButton(tr("Thorough"))),
      m_meaning(makeQuietLabel()),
      m_slider(new QSlider(Qt::Horizontal)),
      m_progress(new JobStrip(reducing, tr("Reducing"))) {
    m_field->setFont(textFont(4, QFont::DemiBold));
    m_field->setFixedHeight(36);
    m_field->setPlaceholderText(tr("2%"));
    m_field->setAccessibleName(tr("Target"));
    m_button->setObjectName("primary");
    m_button->setFixedHeight(36);
    m_button->setToolTip(tr("Reduce to the target (Enter or Ctrl+Return); the source is not harmed"));
    m_thorough->setObjectName("small");
    m_thorough->setFont(textFont(-1));
    m_thorough->setCheckable(true);
    m_thorough->setFocusPolicy(Qt::TabFocus);
    m_thorough->setToolTip(
        tr("Searches for the level of that count whose largest deviation is least: ten to thirty times as long. "
           "A length or pixels are searched for anyway."));
    m_meaning->setWordWrap(true);
    m_meaning->setAlignment(Qt::AlignTop);
    m_slider->setRange(0, sliderSteps);
    m_slider->setFocusPolicy(Qt::TabFocus);
    m_slider->setAccessibleName(tr("Target"));
    m_slider->setToolTip(tr("Sets the count in the field; nothing is computed until Enter"));
    auto* heading = new QHBoxLayout;
    heading->addWidget(makeHeading(tr("TARGET")), 1);
    heading->addWidget(m_thorough);
    auto* row = new QHBoxLayout;
    row->setSpacing(8);
    row->addWidget(m_field, 1);
    row->addWidget(m_button);
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(7);
    column->addLayout(heading);
    column->addLayout(row);
    column->addWidget(m_meaning);
    // Progress takes the slider's place, so that nothing below it moves.
    auto* place = new QWidget;
    place->setFixedHeight(26);
    auto* placeRow = new QVBoxLayout(place);
    placeRow->setContentsMargins(0, 0, 0, 0);
    placeRow->addWidget(m_slider);
    placeRow->addWidget(m_progress);
    column->addWidget(place);
    connect(m_field, &QLineEdit::returnPressed, this, &TargetPanel::submit);
    connect(m_field, &QLineEdit::textChanged, this, &TargetPanel::describe);
    connect(m_button, &QPushButton::clicked, this, &TargetPanel::submit);
    connect(m_thorough, &QPushButton::clicked, this, &TargetPanel::thoroughChosen);
    connect(m_slider, &QSlider::valueChanged, this, &TargetPanel::followSlider);
    connect(&reducing, &Job::started, this, [this] {
        m_button->setEnabled(false);
        m_slider->hide();
    });
    connect(&reducing, &Job::ended, this, [this] {
        m_button->setEnabled(m_sourceTriangles > 0);
        m_slider->show();
    });
    setSource(0, 1, {});
}

void TargetPanel::setSource(std::size_t triangles, double metresPerUnit, const Screen& screen) {
    m_sourceTriangles = triangles;
    m_metresPerUnit = metresPerUnit;
    m_screen = screen;
    for (QWidget* widget : std::initializer_list<QWidget*>{m_field, m_button, m_thorough, m_slider})
        widget->setEnabled(triangles > 0);
    describe();
}

QString TargetPanel::text() const {
    return m_field->text().trimmed().isEmpty() ? m_field->placeholderText() : m_field->text();
}

void TargetPanel::showTarget(const QString& text) {
    m_field->setText(text);
}

void TargetPanel::showThorough(bool isThorough) {
    m_thorough->setChecked(isThorough);
}

void TargetPanel::showProblem(const QString& sentence) {
    m_meaning->setText(sentence);
    m_meaning->setObjectName("bad");
    m_meaning->style()->polish(m_meaning);
}

// Says what the text comes to; only arithmetic, nothing is computed on the mesh.
void TargetPanel::describe() {
    m_meaning->setObjectName("soft");
    m_meaning->style()->polish(m_meaning);
    const QString kinds = tr("12k · 1.2 % · 0.5 mm · 1 px at 24 m: type any of them, then Enter");
    m_meaning->setText(kinds);
    if (m_sourceTriangles == 0) return;
    try {
        const Target target = parseTarget(text().toStdString());
        if (!m_field->text().isEmpty())
            m_meaning->setText(
                QString::fromStdString(describeTarget(target, m_sourceTriangles, m_screen, m_metresPerUnit)));
        if (const auto count = targetTriangles(target, m_sourceTriangles)) {
            const QSignalBlocker quiet(m_slider);
            const double share = double(*count) / double(m_sourceTriangles);
            m_slider->setValue(int(std::lround(sliderSteps * (1 - std::log(share) / std::log(leastTargetShare)))));
        }
    } catch (const InputError&) {
        // Half a number is no mistake; it is told when it is entered.
    }
}

void TargetPanel::followSlider() {
    const double share = std::pow(leastTargetShare, 1 - double(m_slider->value()) / sliderSteps);
    const double count = std::max(4.0, share * double(m_sourceTriangles));
    // Two digits are as much as a hand can set.
    const double step = std::pow(10, std::floor(std::log10(count)) - 1);
    const double rounded = std::max(4.0, std::round(count / step) * step);
    const bool thousands = rounded >= 10000;
    m_field->setText(
        thousands ? QString::number(rounded / 1000, 'f', rounded < 99500 && std::fmod(rounded, 1000) > 0 ? 1 : 0) + "k"
                  : QString::number(rounded, 'f', 0));
}

void TargetPanel::submit() {
    if (!m_button->isEnabled()) return;
    try {
        m_field->setText(text());
        const Target target = parseTarget(text().toStdString());
        describe();
        m_field->clearFocus();  // the keys are the window's again, to look at the result
        emit reduceWanted(text(), target);
    } catch (const InputError& error) {
        showProblem(QString::fromUtf8(error.what()));
    }
}

}  // namespace um::app
