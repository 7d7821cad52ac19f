#include "app/panels/ProtectPanel.h"

#include "app/panels/Widgets.h"
#include "app/theme/Theme.h"

#include <QCoreApplication>
#include <QHBoxLayout>
#include <QPainter>
#include <QPainterPath>
#include <QSignalBlocker>
#include <QSlider>
#include <QVBoxLayout>

namespace um::app {
namespace {

constexpr int chipPadding = 10;
constexpr int lockWidth = 12;

struct Protectable {
    const char* name;
    const char* meaning;
    Protection Protect::*value;
};

const Protectable protectables[] = {
    {QT_TRANSLATE_NOOP("Protect", "Borders"), QT_TRANSLATE_NOOP("Protect", "where the surface ends"),
     &Protect::borders},
    {QT_TRANSLATE_NOOP("Protect", "Seams"), QT_TRANSLATE_NOOP("Protect", "where UVs or colours break"),
     &Protect::seams},
    {QT_TRANSLATE_NOOP("Protect", "Creases"), QT_TRANSLATE_NOOP("Protect", "edges that bend by more than 40°"),
     &Protect::creases},
    {QT_TRANSLATE_NOOP("Protect", "Materials"), QT_TRANSLATE_NOOP("Protect", "where parts or materials meet"),
     &Protect::materials},
    {QT_TRANSLATE_NOOP("Protect", "Skin"), QT_TRANSLATE_NOOP("Protect", "where the influence of joints changes"),
     &Protect::skin}};

void drawLock(QPainter& painter, const QRectF& box, const QColor& color) {
    QPainterPath shackle;
    shackle.arcMoveTo(box.adjusted(2, 0, -2, -2), 0);
    shackle.arcTo(QRectF(box.left() + 2, box.top(), box.width() - 4, box.height() * 0.9), 0, 180);
    painter.setPen(QPen(color, 1.4));
    painter.setBrush(Qt::NoBrush);
    painter.drawPath(shackle);
    painter.setPen(Qt::NoPen);
    painter.setBrush(color);
    painter.drawRoundedRect(QRectF(box.left() + 0.5, box.center().y() - 0.5, box.width() - 1, box.height() / 2 + 0.5),
                            1.2, 1.2);
}

}  // namespace

ProtectionChip::ProtectionChip(const QString& name, const QString& meaning, QWidget* parent)
    : QAbstractButton(parent), m_meaning(meaning) {
    setText(name);
    setSizePolicy(QSizePolicy::Fixed, QSizePolicy::Fixed);
    setFocusPolicy(Qt::TabFocus);
    setState(Protection::Off);
    connect(this, &QAbstractButton::clicked, this, [this] {
        setState(m_state == Protection::Off  ? Protection::On
                 : m_state == Protection::On ? Protection::Hard
                                             : Protection::Off);
        emit stepped(m_state);
    });
}

void ProtectionChip::setState(Protection state) {
    m_state = state;
    const QString says = state == Protection::Off  ? tr("gives way like any other place")
                         : state == Protection::On ? tr("straightened only along itself")
                                                   : tr("locked: its vertices stay bit for bit");
    setToolTip(tr("%1, %2: %3. Click for the next: off, on, locked.").arg(text(), m_meaning, says));
    setAccessibleDescription(toolTip());
    update();
}

QSize ProtectionChip::sizeHint() const {
    const QFontMetrics metrics(textFont(-1));
    return {metrics.horizontalAdvance(text()) + 2 * chipPadding + lockWidth, metrics.height() + 8};
}

void ProtectionChip::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    const QRectF pill = QRectF(rect()).adjusted(0.5, 0.5, -0.5, -0.5);
    const bool isHard = m_state == Protection::Hard, isOff = m_state == Protection::Off;
    painter.setPen(QPen(hasFocus() ? theme().ink : isOff ? theme().rule : theme().accent, 1));
    painter.setBrush(isHard ? theme().accent : isOff ? QColor(Qt::transparent) : theme().accentTint);
    painter.drawRoundedRect(pill, pill.height() / 2, pill.height() / 2);
    painter.setFont(textFont(-1));
    const QColor ink = isHard ? theme().onAccent : isOff ? theme().softInk : theme().ink;
    painter.setPen(ink);
    if (!isHard) {
        painter.drawText(rect(), Qt::AlignCenter, text());
        return;
    }
    painter.drawText(rect().adjusted(chipPadding, 0, 0, 0), Qt::AlignLeft | Qt::AlignVCenter, text());
    drawLock(painter, QRectF(width() - chipPadding - 8.5, height() / 2.0 - 5.5, 9, 11), ink);
}

ProtectPanel::ProtectPanel(QWidget* parent)
    : QWidget(parent),
      m_outline(new QSlider(Qt::Horizontal)),
      m_outlineValue(makeQuietLabel()),
      m_loose(new CommitField) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(5);
    column->addWidget(makeHeading(tr("PROTECT")));
    QHBoxLayout* row = nullptr;
    for (std::size_t i = 0; i < std::size(protectables); ++i) {
        if (i % 3 == 0) {
            row = new QHBoxLayout;
            row->setSpacing(6);
            column->addLayout(row);
        }
        const Protectable& item = protectables[i];
        auto* chip = new ProtectionChip(QCoreApplication::translate("Protect", item.name),
                                        QCoreApplication::translate("Protect", item.meaning));
        m_chips.push_back(chip);
        row->addWidget(chip);
        if (i % 3 == 2 || i + 1 == std::size(protectables)) row->addStretch();
        connect(chip, &ProtectionChip::stepped, this, [this, i](Protection state) {
            m_care.protect.*protectables[i].value = state;
            emit changed(tr("Protect"), m_care);
        });
    }
    m_outline->setObjectName("silhouetteWeight");
    m_outline->setAccessibleName(tr("Silhouette weight"));
    m_outline->setRange(0, 20);
    m_outline->setFocusPolicy(Qt::TabFocus);
    m_outline->setToolTip(tr("How much dearer places on the silhouette are, so that they keep their triangles"));
    m_outlineValue->setFixedWidth(30);
    m_outlineValue->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
    auto* outlineRow = new QHBoxLayout;
    outlineRow->setSpacing(8);
    outlineRow->addWidget(makeQuietLabel(tr("Silhouette weight")));
    outlineRow->addWidget(m_outline, 1);
    outlineRow->addWidget(m_outlineValue);
    column->addLayout(outlineRow);
    m_loose->setPlaceholderText(tr("none"));
    m_loose->setFixedWidth(108);
    m_loose->setAccessibleName(tr("Drop loose parts under"));
    m_loose->setHint(
        tr("Loose parts smaller than this go first, smallest first, until the target is met: 5mm, 0.2% of "
           "the whole, or 3px@24m. Empty drops none."));
    auto* looseRow = new QHBoxLayout;
    looseRow->addWidget(makeQuietLabel(tr("Drop loose parts under")), 1);
    looseRow->addWidget(m_loose);
    column->addLayout(looseRow);
    const auto take = [this] {
        const double weight = m_outline->value() / 20.0;
        if (weight == m_care.silhouetteWeight) return;
        m_care.silhouetteWeight = weight;
        emit changed(tr("Silhouette weight"), m_care);
    };
    connect(m_outline, &QSlider::sliderReleased, this, take);
    connect(m_outline, &QSlider::valueChanged, this, [this, take](int value) {
        m_outlineValue->setText(QString::number(value / 20.0, 'f', 2));
        // By keys or a click beside the handle it is there at once.
        if (!m_outline->isSliderDown()) take();
    });
    connect(m_loose, &CommitField::committed, this, [this](const QString& text) {
        Care care = m_care;
        care.dropLoose = text.trimmed().toStdString();
        emit changed(tr("Drop loose parts"), care);
    });
}

void ProtectPanel::show(const Care& care) {
    m_care = care;
    for (std::size_t i = 0; i < m_chips.size(); ++i) m_chips[i]->setState(care.protect.*protectables[i].value);
    if (!m_outline->isSliderDown()) {
        const QSignalBlocker quiet(m_outline);
        m_outline->setValue(int(care.silhouetteWeight * 20 + 0.5));
        m_outlineValue->setText(QString::number(care.silhouetteWeight, 'f', 2));
    }
    m_loose->updateValue(QString::fromStdString(care.dropLoose));
}

void ProtectPanel::showLooseProblem(const QString& sentence) {
    m_loose->showProblem(sentence);
}

}  // namespace um::app
