#include "app/panels/TopStrip.h"

#include "app/panels/Widgets.h"
#include "app/theme/Theme.h"
#include "base/Error.h"

#include <QHBoxLayout>
#include <QMenuBar>
#include <QPushButton>
#include <QStyle>

namespace um::app {

TopStrip::TopStrip(QWidget* parent)
    : QWidget(parent),
      m_menus(new QMenuBar),
      m_name(new NameLabel),
      m_state(makeQuietLabel()),
      m_fields(new QWidget),
      m_findings(new QPushButton),
      m_tolerance(new CommitField),
      m_screen(new CommitField) {
    setObjectName("strip");
    setAttribute(Qt::WA_StyledBackground);
    setFixedHeight(42);
    auto* mark = new QLabel(tr("understated mesh"));
    mark->setFont(textFont(0, QFont::DemiBold));
    m_name->setFont(textFont(0, QFont::DemiBold));
    m_name->setObjectName("documentName");
    m_tolerance->setFixedWidth(84);
    m_tolerance->setObjectName("tolerance");
    m_tolerance->setAccessibleName(tr("Tolerance"));
    m_screen->setFixedWidth(118);
    m_screen->setObjectName("screen");
    m_screen->setAccessibleName(tr("Seen on"));
    m_tolerance->setHint(tr("Deviations up to this are fine: 0.5 mm, 0.02 in … Enter to apply"));
    m_screen->setHint(tr("Height in pixels and vertical field of view of the player's screen: 1440px,50deg"));
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(16, 0, 16, 0);
    row->setSpacing(10);
    row->addWidget(mark);
    m_menus->setFixedHeight(QFontMetrics(textFont()).height() + 12);
    row->addWidget(m_menus, 0, Qt::AlignVCenter);
    row->addSpacing(16);
    row->addWidget(m_name);
    row->addWidget(m_state, 1);
    auto* fields = new QHBoxLayout(m_fields);
    fields->setContentsMargins(0, 0, 0, 0);
    fields->setSpacing(10);
    m_findings->setObjectName("findings");
    m_findings->setFocusPolicy(Qt::TabFocus);
    m_findings->setToolTip(tr("What is wrong with the mesh shown, where, and what can be done"));
    connect(m_findings, &QPushButton::clicked, this, &TopStrip::findingsWanted);
    fields->addWidget(m_findings);
    fields->addSpacing(12);
    fields->addWidget(makeQuietLabel(tr("Tolerance")));
    fields->addWidget(m_tolerance);
    fields->addSpacing(12);
    fields->addWidget(makeQuietLabel(tr("Seen on")));
    fields->addWidget(m_screen);
    row->addWidget(m_fields);
    connect(m_tolerance, &CommitField::committed, this, [this](const QString& text) {
        try {
            const double metres = parseLength(text.toStdString()).inMeshUnits(m_metresPerUnit) * m_metresPerUnit;
            if (!(metres > 0)) throw InputError("A tolerance is more than 0, such as 0.5 mm.");
            m_tolerance->showValue(QString::fromStdString(formatLength(metres)));
            emit toleranceWanted(metres);
        } catch (const InputError& error) {
            m_tolerance->showProblem(QString::fromUtf8(error.what()));
        }
    });
    connect(m_screen, &CommitField::committed, this, [this](const QString& text) {
        try {
            const Screen screen = parseScreen(text.toStdString());
            m_screen->showValue(QString::fromStdString(formatScreen(screen)));
            emit screenWanted(screen);
        } catch (const InputError& error) {
            m_screen->showProblem(QString::fromUtf8(error.what()));
        }
    });
}

void TopStrip::showFindings(int count) {
    m_findings->setVisible(count >= 0);
    m_findings->setProperty("sound", count == 0);
    m_findings->style()->polish(m_findings);
    m_findings->setText(count == 0 ? tr("Nothing found") : count == 1 ? tr("1 finding") : tr("%1 findings").arg(count));
}

void TopStrip::show(const Document& document, bool isOpen, bool isEdited) {
    m_name->setText(isOpen ? QString::fromStdString(document.name) : QString());
    m_fields->setVisible(isOpen);
    m_state->setText(isOpen && isEdited                ? tr("— edited")
                     : isOpen && document.path.empty() ? tr("— not saved yet")
                                                       : QString());
    m_metresPerUnit = isOpen ? document.source->metresPerUnit : 1;
    m_tolerance->updateValue(QString::fromStdString(formatLength(document.tolerance)));
    m_screen->updateValue(QString::fromStdString(formatScreen(document.screen)));
}

}  // namespace um::app
