#include "app/panels/FindingsCard.h"

#include "app/panels/Widgets.h"
#include "app/theme/Theme.h"
#include "base/Error.h"
#include "base/Units.h"
#include "chain/Target.h"

#include <algorithm>
#include <QEvent>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QScrollArea>
#include <QVBoxLayout>

namespace um::app {

namespace {

// Narrow enough to leave the middle of the picture free, where the places are shown.
constexpr int findingsCardWidth = 336, findingsMargin = 16;

}  // namespace

FindingsCard::FindingsCard(Job& looking, Job& repairing, QWidget* parent)
    : QWidget(parent),
      m_title(new NameLabel),
      m_nothing(makeQuietLabel()),
      m_look(new QPushButton(tr("Look it over"))),
      m_scroll(makeScroll()),
      m_column(new QVBoxLayout(this)) {
    setObjectName("card");
    setAttribute(Qt::WA_StyledBackground);
    setFixedWidth(findingsCardWidth);
    m_title->setObjectName("soft");
    m_title->setFont(headingFont());
    m_nothing->setWordWrap(true);
    auto* close = new QPushButton(tr("Close"));
    close->setObjectName("quiet");
    auto* heading = new QHBoxLayout;
    heading->addWidget(m_title, 1);
    heading->addWidget(close);
    m_column->setContentsMargins(findingsMargin, 12, findingsMargin, 14);
    m_column->setSpacing(8);
    m_column->addLayout(heading);
    m_column->addWidget(m_nothing);
    m_column->addWidget(m_look, 0, Qt::AlignLeft);
    m_column->addWidget(new JobStrip(looking, tr("Looking it over")));
    m_column->addWidget(new JobStrip(repairing, tr("Repairing")));
    m_column->addWidget(m_scroll);
    hide();
    parent->installEventFilter(this);
    for (Job* job : {&looking, &repairing})
        for (auto signal : {&Job::started, &Job::ended}) connect(job, signal, this, &FindingsCard::fit);
    connect(&looking, &Job::started, m_look, &QWidget::hide);
    connect(&looking, &Job::cancelled, this, [this] { m_look->setVisible(!m_findings); });
    connect(m_look, &QPushButton::clicked, this, &FindingsCard::lookWanted);
    connect(close, &QPushButton::clicked, this, [this] {
        hide();
        emit closed();
    });
}

QPushButton* FindingsCard::addButton(QHBoxLayout* line, const QString& text, const QString& tip) {
    auto* made = new QPushButton(text);
    made->setObjectName("small");
    made->setFocusPolicy(Qt::TabFocus);
    made->setFont(textFont(-1));
    made->setToolTip(tip);
    line->addWidget(made);
    return made;
}

QWidget* FindingsCard::makeRow(const QString& what, const QString& why, QHBoxLayout* line) {
    auto* row = new QWidget;
    auto* sentence = new QLabel(breakable(what));
    sentence->setFont(textFont(0, QFont::DemiBold));
    QLabel* reason = makeQuietLabel(breakable(why));
    auto* column = new QVBoxLayout(row);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(2);
    for (QLabel* label : {sentence, reason}) {
        label->setWordWrap(true);
        // A wrapped label does not tell its card how tall it is.
        label->setFixedHeight(label->heightForWidth(findingsCardWidth - 2 * findingsMargin));
        column->addWidget(label);
    }
    column->addLayout(line);
    return row;
}

QWidget* FindingsCard::makeRow(const BudgetLine& exceeded) {
    auto* line = new QHBoxLayout;
    connect(addButton(line, tr("Budget …"), tr("See what the chain has, and set what it may have")),
            &QPushButton::clicked, this, &FindingsCard::budgetWanted);
    line->addStretch();
    return makeRow(tr("Over budget: %1").arg(QString::fromStdString(sentenceOf(exceeded))),
                   tr("The chain has more than was set for it."), line);
}

QWidget* FindingsCard::makeRow(const Finding& finding) {
    auto* line = new QHBoxLayout;
    line->setSpacing(6);
    if (!finding.places.empty()) {
        QLabel* which = makeQuietLabel();
        which->hide();
        auto at = std::make_shared<std::size_t>(finding.places.size());  // none yet
        const auto go = [this, at, which, places = finding.places, count = finding.count](bool forwards) {
            const std::size_t n = places.size();
            *at = *at == n ? (forwards ? 0 : n - 1) : (*at + (forwards ? 1 : n - 1)) % n;
            which->setText(tr("%1 of %2").arg(*at + 1).arg(count));
            which->show();
            emit placeChosen(places[*at]);
        };
        const bool several = finding.places.size() > 1;
        connect(addButton(line, several ? tr("Next") : tr("Go there"), tr("Go to the place, the largest first")),
                &QPushButton::clicked, this, [go] { go(true); });
        if (several)
            connect(addButton(line, tr("Previous"), tr("Go to the one before")), &QPushButton::clicked, this,
                    [go] { go(false); });
        line->addWidget(which);
    }
    line->addStretch();
    if (const std::string repair = repairOf(finding.fault); !repair.empty())
        addRepair(
            finding, line,
            addButton(line, QString::fromStdString(repair), tr("Repairs what can be repaired; undo brings it back")));
    return makeRow(QString::fromStdString(describeFinding(finding, m_mesh->metresPerUnit)),
                   QString::fromStdString(whyItMatters(finding.fault)), line);
}

// Up to which size, where that makes a difference.
void FindingsCard::addRepair(const Finding& finding, QHBoxLayout* line, QPushButton* repair) {
    const Fault fault = finding.fault;
    const double usual = usualSize(*m_mesh, fault);
    if (!hasSize(fault)) {
        connect(repair, &QPushButton::clicked, this, [this, fault, usual] { emit repairWanted(fault, usual); });
        return;
    }
    auto* field = new CommitField;
    field->setFixedWidth(92);
    field->setFont(textFont(-1));
    field->setHint(fault == Fault::Hole    ? tr("Holes up to this length around are filled")
                   : fault == Fault::Crack ? tr("Cracks up to this width are welded")
                                           : tr("Bits up to this size across are dropped"));
    auto size = std::make_shared<double>(usual);
    const double metres = m_mesh->metresPerUnit;
    field->showValue(QString::fromStdString(formatLength(usual * metres)));
    connect(field, &CommitField::committed, this, [field, size, metres](const QString& text) {
        try {
            *size = parseLength(text.toStdString()).inMeshUnits(metres);
            field->showValue(QString::fromStdString(formatLength(*size * metres)));
        } catch (const InputError& error) {
            field->showProblem(QString::fromUtf8(error.what()));
        }
    });
    line->addWidget(makeQuietLabel(tr("up to")));
    line->addWidget(field);
    connect(repair, &QPushButton::clicked, this, [this, fault, size] { emit repairWanted(fault, *size); });
}

void FindingsCard::show(const QString& meshName, std::shared_ptr<const Mesh> mesh,
                        std::shared_ptr<const std::vector<Finding>> findings, std::vector<BudgetLine> exceeded) {
    m_title->setText(tr("FINDINGS · %1").arg(meshName.toUpper()));
    if (m_findings && findings && mesh == m_mesh && *findings == *m_findings && exceeded == m_exceeded) return;
    m_exceeded = std::move(exceeded);
    m_mesh = std::move(mesh);
    m_findings = std::move(findings);
    auto* content = new QWidget;
    auto* rows = new QVBoxLayout(content);
    rows->setContentsMargins(0, 0, 0, 0);
    rows->setSpacing(6);
    m_nothing->setText(tr("Nothing is wrong with the mesh."));
    m_nothing->setVisible(m_findings && m_findings->empty());
    if (m_findings) m_look->hide();
    for (const BudgetLine& line : m_exceeded) rows->addWidget(makeRow(line));
    if (m_findings)
        for (const Finding& finding : *m_findings) rows->addWidget(makeRow(finding));
    m_scroll->setVisible(rows->count() > 0);
    m_scroll->setWidget(content);  // which drops the one before
    m_rowEnds.clear();
    for (int i = 0; i < rows->count(); ++i) {
        const int before = m_rowEnds.empty() ? 0 : m_rowEnds.back() + rows->spacing();
        m_rowEnds.push_back(before + rows->itemAt(i)->sizeHint().height());
    }
    fit();
}

// As tall as its rows, as far as the picture allows; beyond that they scroll, and none is cut at first.
void FindingsCard::fit() {
    constexpr int leastHeight = 100, below = 12;
    m_scroll->setFixedHeight(leastHeight);
    const int rest = sizeHint().height() - leastHeight;  // heading, progress and margins
    const int room = std::max(leastHeight, parentWidget()->height() - y() - rest - below);
    const auto tooFar = std::upper_bound(m_rowEnds.begin(), m_rowEnds.end(), room);
    m_scroll->setFixedHeight(tooFar == m_rowEnds.begin() ? room : tooFar[-1]);
    adjustSize();
}

void FindingsCard::moveEvent(QMoveEvent*) {
    fit();
}

bool FindingsCard::eventFilter(QObject* watched, QEvent* event) {
    if (event->type() == QEvent::Resize) fit();
    return QWidget::eventFilter(watched, event);
}

}  // namespace um::app
