#include "app/panels/PartsPanel.h"

#include "app/panels/PartsList.h"
#include "app/panels/Widgets.h"
#include "app/theme/Theme.h"
#include "base/Units.h"

#include <QComboBox>
#include <QHBoxLayout>
#include <QLineEdit>
#include <QToolTip>
#include <QVBoxLayout>
#include <utility>

namespace um::app {
namespace {

// More parts than are looked through by eye.
constexpr std::size_t manyParts = 40;

QString guardWord(GuardValue value) {
    return value > 1   ? PartsPanel::tr("hold")
           : value > 0 ? PartsPanel::tr("keep")
           : value < 0 ? PartsPanel::tr("yield")
                       : PartsPanel::tr("none");
}

}  // namespace

PartsPanel::PartsPanel(QWidget* parent)
    : QWidget(parent),
      m_total(makeQuietLabel()),
      m_title(new NameLabel(tr("SOURCE"))),
      m_find(new QLineEdit),
      m_list(new PartsList),
      m_properties(new QVBoxLayout) {
    auto* heading = new QHBoxLayout;
    heading->setContentsMargins(9, 0, 9, 0);
    heading->addWidget(makeHeading(tr("PARTS")));
    heading->addStretch();
    heading->addWidget(m_total);
    m_total->setFont(textFont(-2));
    m_title->setObjectName("soft");
    m_title->setFont(headingFont());
    // It takes the room that is left: a long chain needs it below, and the list is scrolled then.
    m_list->setSizePolicy(QSizePolicy::Preferred, QSizePolicy::Ignored);
    m_list->setMinimumHeight(44);
    m_find->setPlaceholderText(tr("Find a part"));
    m_find->setToolTip(tr("Part of a name, then Enter; once more for the next"));
    m_find->setAccessibleName(tr("Find a part"));
    m_properties->setContentsMargins(9, 2, 9, 0);
    m_properties->setSpacing(2);
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(6);
    column->addLayout(heading);
    column->addWidget(m_find);
    column->addWidget(m_list, 1);
    column->addWidget(makeRule());
    auto* titleRow = new QHBoxLayout;
    titleRow->setContentsMargins(9, 2, 9, 0);
    titleRow->addWidget(m_title);
    column->addLayout(titleRow);
    column->addLayout(m_properties);
    connect(m_list, &PartsList::rowClicked, this, &PartsPanel::choose);
    connect(m_find, &QLineEdit::returnPressed, this, [this] {
        const int found = m_list->findNext(m_find->text().trimmed());
        if (found >= 0 && found != m_chosen) choose(found);
        if (found < 0)
            QToolTip::showText(m_find->mapToGlobal(m_find->rect().bottomLeft()), tr("No part has that name"));
    });
}

void PartsPanel::setSource(const Mesh* mesh, std::optional<UpAxis> up, bool unitIsChosen) {
    m_mesh = mesh;
    m_up = up;
    m_unitIsChosen = unitIsChosen;
    m_triangles = mesh != nullptr ? trianglesByPart(*mesh) : std::vector<std::size_t>();
    m_statistics.reset();
    const bool wasChosen = std::exchange(m_chosen, -1) >= 0;
    m_total->setText(mesh != nullptr ? QString::fromStdString(formatCount(mesh->triangleCount())) : QString());
    m_find->setVisible(m_triangles.size() > manyParts);
    m_find->clear();
    showRows();
    m_list->mark(-1);
    showProperties();
    if (wasChosen) emit partChosen(-1);
}

void PartsPanel::setStatistics(std::optional<MeshStatistics> statistics) {
    m_statistics = std::move(statistics);
    showProperties();
}

void PartsPanel::choose(int part) {
    m_chosen = part == m_chosen ? -1 : part;
    m_list->mark(m_chosen);
    showProperties();
    emit partChosen(m_chosen);
}

GuardValue PartsPanel::guardOf(std::size_t part) const {
    for (const PartGuard& guard : m_guard.parts)
        if (guard.part == m_mesh->parts[part].name) return guard.value;
    return 0;
}

void PartsPanel::setGuard(const Guard& guard) {
    if (m_guard == guard) return;
    m_guard = guard;
    showRows();
    m_list->mark(m_chosen);
    showProperties();
}

void PartsPanel::setEvidence(std::shared_ptr<const Deviation> evidence) {
    if (m_evidence == evidence) return;
    m_evidence = std::move(evidence);
    showProperties();
}

void PartsPanel::showRows() {
    std::vector<PartsList::Row> rows;
    for (std::size_t part = 0; part < m_triangles.size(); ++part) {
        const GuardValue guard = guardOf(part);
        rows.push_back({QString::fromStdString(m_mesh->parts[part].name), m_triangles[part],
                        double(m_triangles[part]) / double(m_mesh->triangleCount()),
                        guard == 0 ? QString() : guardWord(guard)});
    }
    m_list->setRows(std::move(rows));
}

void PartsPanel::showProperties() {
    emptyLayout(*m_properties);
    if (m_mesh == nullptr) {
        m_title->setText({});
        return;
    }
    const bool whole = m_chosen < 0;
    m_title->setText(whole ? tr("SOURCE")
                           : QString::fromStdString(m_mesh->parts[std::size_t(m_chosen)].name).toUpper());
    // Each row stands alone, so that a long value may reach under the names of others.
    const auto addRow = [&](QLabel* name, QWidget* value, const QString& tip) {
        auto* row = new QWidget;
        auto* layout = new QHBoxLayout(row);
        layout->setContentsMargins(0, 0, 0, 0);
        layout->addWidget(name);
        layout->addStretch();
        layout->addWidget(value);
        row->setToolTip(tip);
        m_properties->addWidget(row);
    };
    const auto add = [&](const QString& name, const QString& value, const QString& tip = {}, bool needsLook = false) {
        auto* text = new QLabel(value);
        text->setFont(textFont(-1));
        text->setAlignment(Qt::AlignRight);
        if (needsLook) text->setStyleSheet("color: " + theme().amber.name());
        addRow(makeQuietLabel(name), text, tip);
    };
    const auto makeChoice = [](const QString& name) {
        auto* box = new QComboBox;
        box->setFont(textFont(-1));
        box->setAccessibleName(name);
        // Another takes its place; the keys are the window's again.
        connect(box, &QComboBox::activated, box, &QWidget::clearFocus);
        return box;
    };
    const auto count = [](std::size_t n) { return QString::fromStdString(formatCount(n)); };
    if (!whole) {
        QComboBox* guards = makeChoice(tr("Guard"));
        for (const GuardValue value : {0.0f, guardHold, 0.5f, -0.5f}) guards->addItem(guardWord(value), value);
        guards->setCurrentText(guardWord(guardOf(std::size_t(m_chosen))));
        guards->setToolTip(tr("Hold: not touched. Keep: dearer to reduce. Yield: cheaper."));
        connect(guards, &QComboBox::activated, this,
                [this, guards] { emit guardChosen(m_chosen, guards->currentData().toFloat()); });
        addRow(makeQuietLabel(tr("Guard")), guards, {});
    }
    if (!whole && m_evidence && m_evidence->byPart.size() == m_triangles.size()) {
        const PartDeviation& off = m_evidence->byPart[std::size_t(m_chosen)];
        const auto metric = [&](double x) { return QString::fromStdString(formatLength(x * m_mesh->metresPerUnit)); };
        add(tr("Off by at most"), metric(off.max), tr("the largest deviation of this part, both ways"));
        add(tr("rms"), metric(off.rms), tr("root of its mean square, over the part's area"));
    }
    if (!m_statistics) {
        add(tr("Triangles"), count(whole ? m_mesh->triangleCount() : m_triangles[std::size_t(m_chosen)]));
        add(tr("Looking it over …"), {});
        return;
    }
    const Statistics& s = whole ? m_statistics->whole : m_statistics->parts[std::size_t(m_chosen)];
    const double metres = m_mesh->metresPerUnit;
    const Vec3f size = s.box.sizes();
    const double largest = double(size.maxCoeff()) * metres;
    const double unit = largest < 0.1 ? 0.001 : largest < 2 ? 0.01 : 1;
    const auto length = [&](float x) { return QString::fromStdString(formatNumber(double(x) * metres / unit)); };
    add(tr("Triangles"), count(s.triangles));
    add(tr("Vertices"), count(s.vertices));
    add(tr("Size"),
        length(size.x()) + " × " + length(size.y()) + " × " + length(size.z()) + " " +
            QString::fromStdString(unitName(unit)),
        tr("width × height × depth"));
    add(tr("Materials"), count(s.materials));
    add(tr("UVs"), s.hasUvs ? tr("yes") : tr("none"));
    add(tr("Open borders"), s.borderLoops == 0 ? tr("none") : count(s.borderLoops),
        tr("holes and rims: %1 edges with a triangle on one side only").arg(count(s.borderEdges)));
    add(tr("Loose bits"), count(s.pieces), tr("pieces that no vertex joins to the others"));
    if (s.nonManifoldEdges > 0)
        add(tr("Non-manifold"), count(s.nonManifoldEdges), tr("edges where more than two triangles meet"), true);
    if (s.windingEdges > 0)
        add(tr("Flipped"), count(s.windingEdges), tr("edges whose two triangles face opposite ways"), true);
    if (s.zeroAreaTriangles > 0)
        add(tr("Zero area"), count(s.zeroAreaTriangles), tr("triangles without any area"), true);
    if (s.duplicateTriangles > 0)
        add(tr("Duplicates"), count(s.duplicateTriangles), tr("triangles on the same three vertices as another"), true);
    if (whole && (!m_mesh->unitStated || m_unitIsChosen)) {
        QComboBox* units = makeChoice(tr("Unit"));
        for (const char* name : {"mm", "cm", "m", "in", "ft"}) units->addItem(name);
        units->setCurrentText(QString::fromStdString(unitName(metres)));
        units->setToolTip(tr("The file does not say its unit; choose what one unit is"));
        connect(units, &QComboBox::textActivated, this,
                [this](const QString& name) { emit unitChosen(*metresPerUnitOf(name.toStdString())); });
        addRow(makeQuietLabel(m_unitIsChosen ? tr("Unit (chosen)") : tr("Unit (assumed)")), units, {});
    }
    if (whole && m_up) {
        QComboBox* axes = makeChoice(tr("Up"));
        axes->addItems({tr("y"), tr("z")});
        axes->setCurrentIndex(int(*m_up));
        axes->setToolTip(tr("The file does not say which axis points up; choose z if the mesh lies on its back"));
        connect(axes, &QComboBox::activated, this, [this](int axis) { emit upChosen(UpAxis(axis)); });
        addRow(makeQuietLabel(tr("Up")), axes, {});
    }
}

}  // namespace um::app
