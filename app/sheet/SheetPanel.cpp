#include "app/sheet/SheetPanel.h"

#include "app/jobs/Job.h"
#include "app/panels/Widgets.h"
#include "app/sheet/SheetPicture.h"
#include "app/theme/Theme.h"
#include "app/viewport/Renderer.h"
#include "base/Error.h"
#include "base/Units.h"

#include <cmath>
#include <QCheckBox>
#include <QComboBox>
#include <QGridLayout>
#include <QHBoxLayout>
#include <QMenu>
#include <QScrollArea>
#include <QSlider>

namespace um::app {
namespace {

constexpr int tracedRays = 32;

// A step of the slider is a tenth of a doubling.
constexpr double stepsOfDoubling = 10;
constexpr int mostSteps = 30;

QString percent(double share) {
    return QString::fromStdString(
        formatNumber(share < 0.0995 ? std::round(1000 * share) / 10 : std::round(100 * share)));
}

QString number(double value) {
    return QString::fromStdString(formatNumber(value));
}

}  // namespace

SheetPanel::SheetPanel(Job& baking, QWidget* parent)
    : QWidget(parent),
      m_heading(makeHeading(tr("SHEET"))),
      m_facts(makeQuietLabel()),
      m_pointed(makeQuietLabel()),
      m_figuresLine(new QLabel),
      m_material(new QComboBox),
      m_value(new QComboBox),
      m_samples(new QComboBox),
      m_share(new QComboBox),
      m_lit(new QPushButton(tr("Lit with …"))),
      m_miss(new QPushButton(tr("Next miss"))),
      m_bake(new QPushButton),
      m_how(new QPushButton(tr("How …"))),
      m_litMenu(new QMenu(this)),
      m_picture(new SheetPicture),
      m_sheet(new CommitField),
      m_padding(new CommitField),
      m_cage(new CommitField),
      m_join(new QCheckBox(tr("one part: a single draw call"))),
      m_apart(new QCheckBox(tr("parts catch only their own detail"))),
      m_occlusion(new QCheckBox(tr("trace occlusion"))),
      m_keep(new QCheckBox(tr("keep the level's UVs"))),
      m_parts(new QWidget),
      m_partRows(new QGridLayout(m_parts)) {
    m_settings = makeSettings();
    for (QComboBox* box : {m_material, m_value, m_samples, m_share}) {
        box->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
        box->setMinimumContentsLength(6);
    }
    for (QCheckBox* box : {m_join, m_apart, m_occlusion, m_keep}) box->setFont(textFont(-1));
    auto* close = new QPushButton(tr("Close"));
    close->setObjectName("quiet");
    close->setToolTip(tr("Back to target and evidence (U)"));
    connect(close, &QPushButton::clicked, this, &SheetPanel::closed);
    auto* head = new QHBoxLayout;
    head->addWidget(m_heading);
    head->addWidget(m_facts);
    head->addStretch();
    head->addWidget(close);
    auto* row = new QHBoxLayout;
    row->setSpacing(6);
    row->addWidget(m_material, 1);
    row->addWidget(m_value, 1);
    row->addWidget(m_lit);
    m_lit->setToolTip(
        tr("What the lit view shows of the materials: to see what geometry and what texture contributes"));
    m_figuresLine->setWordWrap(true);
    m_figuresLine->setFont(textFont(-1));
    m_miss->setToolTip(tr("To the next place where the source was not found"));
    auto* pointed = new QHBoxLayout;
    pointed->addWidget(m_pointed, 1);
    pointed->addWidget(m_miss);
    m_seen = new QWidget;
    auto* seen = new QVBoxLayout(m_seen);
    seen->setContentsMargins(0, 0, 0, 0);
    seen->setSpacing(8);
    seen->addLayout(row);
    seen->addWidget(m_picture, 0, Qt::AlignHCenter);
    seen->addLayout(pointed);
    seen->addWidget(m_figuresLine);
    auto* content = new QWidget;
    auto* upper = new QVBoxLayout(content);
    upper->setContentsMargins(16, 12, 16, 4);
    upper->setSpacing(8);
    upper->addLayout(head);
    upper->addWidget(m_seen);
    upper->addWidget(m_settings);
    upper->addStretch();
    auto* scroll = new QScrollArea;
    scroll->setWidget(content);
    scroll->setWidgetResizable(true);
    scroll->setFrameShape(QFrame::NoFrame);
    scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    m_bake->setObjectName("primary");
    m_how->setCheckable(true);
    m_how->setToolTip(
        tr("How levels are baked: the sheet, who gets how much of it, how deep the source is looked for"));
    connect(m_how, &QPushButton::toggled, this, &SheetPanel::openSettings);
    auto* buttons = new QHBoxLayout;
    buttons->setSpacing(6);
    buttons->addWidget(m_bake, 1);
    buttons->addWidget(m_how);
    auto* lower = new QVBoxLayout;
    lower->setContentsMargins(16, 0, 16, 12);
    lower->setSpacing(6);
    lower->addWidget(new JobStrip(baking, tr("Baking")));
    lower->addLayout(buttons);
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(8);
    column->addWidget(scroll, 1);
    column->addLayout(lower);
    openSettings(false);
    connect(&baking, &Job::started, this, [this] { m_bake->hide(); });
    connect(&baking, &Job::ended, this, [this] { m_bake->show(); });
    connectAll();
}

QWidget* SheetPanel::makeSettings() {
    m_sheet->setObjectName("sheetSize");
    m_padding->setObjectName("sheetPadding");
    m_cage->setObjectName("sheetCage");
    m_sheet->setHint(tr("Texels on a side of the sheet"));
    m_padding->setHint(tr("Texels between charts; filled with what is beside them, so that smaller copies stay clean"));
    m_cage->setHint(tr("How deep the source is looked for: as measured, or 2x that, or a length like 5mm"));
    for (const int samples : {1, 4, 16}) m_samples->addItem(tr("%1 samples").arg(samples), samples);
    m_share->addItem(tr("evenly over the surface"), int(SheetShare::Area));
    m_share->addItem(tr("by what is seen"), int(SheetShare::Seen));
    m_share->addItem(tr("as its textures were"), int(SheetShare::Density));
    m_occlusion->setToolTip(tr("How much light from around reaches each place, on top of the source's own occlusion"));
    auto* grid = new QGridLayout;
    grid->setVerticalSpacing(6);
    grid->setHorizontalSpacing(8);
    grid->setColumnStretch(1, 1);
    grid->setColumnStretch(3, 1);
    grid->addWidget(makeQuietLabel(tr("Sheet")), 0, 0);
    grid->addWidget(m_sheet, 0, 1);
    grid->addWidget(makeQuietLabel(tr("Padding")), 0, 2);
    grid->addWidget(m_padding, 0, 3);
    grid->addWidget(makeQuietLabel(tr("Cage")), 1, 0);
    grid->addWidget(m_cage, 1, 1);
    grid->addWidget(makeQuietLabel(tr("Texel")), 1, 2);
    grid->addWidget(m_samples, 1, 3);
    grid->addWidget(makeQuietLabel(tr("Shared")), 2, 0);
    grid->addWidget(m_share, 2, 1, 1, 3);
    auto* checks = new QVBoxLayout;
    checks->setSpacing(5);
    for (QCheckBox* box : {m_join, m_apart, m_occlusion, m_keep}) checks->addWidget(box);
    m_partRows->setContentsMargins(0, 0, 0, 0);
    m_partRows->setVerticalSpacing(4);
    m_partRows->setHorizontalSpacing(8);
    m_partRows->setColumnStretch(0, 1);
    auto* settings = new QWidget;
    auto* column = new QVBoxLayout(settings);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(8);
    column->addLayout(grid);
    column->addLayout(checks);
    column->addWidget(m_parts);
    return settings;
}

void SheetPanel::connectAll() {
    connect(m_bake, &QPushButton::clicked, this, &SheetPanel::bakeWanted);
    connect(m_miss, &QPushButton::clicked, this, &SheetPanel::missWanted);
    connect(m_material, &QComboBox::activated, this, [this] {
        fillValues(m_figures && !m_figures->misses.empty());
        emit contentWanted();
    });
    connect(m_value, &QComboBox::activated, this, &SheetPanel::contentWanted);
    connect(m_samples, &QComboBox::activated, this,
            [this] { change([&](BakeChoice& c) { c.samples = m_samples->currentData().toInt(); }); });
    connect(m_share, &QComboBox::activated, this,
            [this] { change([&](BakeChoice& c) { c.share = SheetShare(m_share->currentData().toInt()); }); });
    const auto texels = [this](CommitField* field, int BakeChoice::*value, int least, int most) {
        connect(field, &CommitField::committed, this, [this, field, value, least, most](const QString& text) {
            const auto typed = parseNumberWithSuffix(text.toStdString());
            const bool isRight = typed && (typed->suffix.empty() || typed->suffix == "px") && typed->number >= least &&
                                 typed->number <= most && typed->number == std::floor(typed->number);
            if (!isRight) {
                field->showProblem(tr("A whole number of texels from %1 to %2").arg(least).arg(most));
                return;
            }
            change([&](BakeChoice& c) { c.*value = int(typed->number); });
        });
    };
    texels(m_sheet, &BakeChoice::sheet, 16, 16384);
    texels(m_padding, &BakeChoice::padding, 0, 256);
    connect(m_cage, &CommitField::committed, this, [this](const QString& text) {
        BakeChoice next = m_choice;
        const QString typed = text.trimmed();
        next.cage = typed == tr("as measured") ? std::string() : typed.toStdString();
        try {
            if (m_mesh) settingsFor(next, *m_mesh, Screen());
        } catch (const InputError& error) {
            m_cage->showProblem(QString::fromUtf8(error.what()));
            return;
        }
        change([&](BakeChoice& c) { c.cage = next.cage; });
    });
    const std::pair<QCheckBox*, bool BakeChoice::*> checks[] = {
        {m_join, &BakeChoice::joinParts}, {m_apart, &BakeChoice::partsApart}, {m_keep, &BakeChoice::keepUvs}};
    for (const auto& [box, value] : checks)
        connect(box, &QCheckBox::clicked, this,
                [this, value = value](bool on) { change([&](BakeChoice& c) { c.*value = on; }); });
    connect(m_occlusion, &QCheckBox::clicked, this,
            [this](bool on) { change([&](BakeChoice& c) { c.occlusionRays = on ? tracedRays : 0; }); });
    const std::pair<QString, unsigned> looks[] = {{tr("Base colour"), LookColor},
                                                  {tr("Normal map"), LookNormal},
                                                  {tr("Roughness and metalness"), LookSurface},
                                                  {tr("Occlusion"), LookOcclusion},
                                                  {tr("Emission"), LookEmission}};
    for (const auto& [name, bit] : looks) {
        QAction* action = m_litMenu->addAction(name);
        action->setCheckable(true);
        action->setChecked(true);
        connect(action, &QAction::toggled, this, [this, bit = bit](bool on) {
            m_without = on ? m_without & ~bit : m_without | bit;
            emit withoutChanged(m_without);
        });
    }
    connect(m_lit, &QPushButton::clicked, this,
            [this] { m_litMenu->exec(m_lit->mapToGlobal(QPoint(0, m_lit->height() + 2))); });
    connect(m_picture, &SheetPicture::pointedAt, this, [this](const QPointF& place) { pointAtChart(place, false); });
    connect(m_picture, &SheetPicture::clicked, this, [this](const QPointF& place) { pointAtChart(place, true); });
    connect(m_picture, &SheetPicture::left, this, [this] {
        m_picture->setChart({});
        m_pointed->setText(" ");
        emit chartPointedAt({});
    });
}

void SheetPanel::openSettings(bool open) {
    m_how->setChecked(open);
    m_how->setText(open ? tr("Back") : tr("How …"));
    m_seen->setVisible(!open);
    m_settings->setVisible(open);
    m_heading->setText(open ? tr("HOW LEVELS ARE BAKED") : tr("SHEET"));
    m_facts->setVisible(!open);
}

void SheetPanel::change(const std::function<void(BakeChoice&)>& edit) {
    BakeChoice next = m_choice;
    edit(next);
    if (next != m_choice) emit choiceChanged(next);
}

void SheetPanel::show(const QString& name, const std::shared_ptr<const Mesh>& mesh, const Level* level, bool canBake,
                      const BakeChoice& choice) {
    const bool isOther = mesh != m_mesh;
    m_mesh = mesh;
    m_name = name;
    m_choice = choice;
    m_figures = level != nullptr ? level->bake : std::nullopt;
    m_sheet->updateValue(tr("%1 px").arg(choice.sheet));
    m_padding->updateValue(tr("%1 px").arg(choice.padding));
    m_cage->updateValue(choice.cage.empty() ? tr("as measured") : QString::fromStdString(choice.cage));
    m_samples->setCurrentIndex(m_samples->findData(choice.samples));
    m_share->setCurrentIndex(m_share->findData(int(choice.share)));
    m_join->setChecked(choice.joinParts);
    m_apart->setChecked(choice.partsApart);
    m_keep->setChecked(choice.keepUvs);
    m_occlusion->setChecked(choice.occlusionRays > 0);
    m_keep->setEnabled(mesh && !mesh->uvs.empty());
    m_bake->setText(tr("Bake %1").arg(name));
    m_bake->setEnabled(canBake);
    m_bake->setToolTip(canBake
                           ? tr("New UVs, and the source's look in one set of textures; undo brings the old ones back")
                           : tr("Choose a level on the left: it is baked from the source"));
    fillParts();
    if (isOther) {
        m_material->clear();
        if (mesh)
            for (const std::uint32_t material : materialsWithOwnTextures(*mesh))
                m_material->addItem(QString::fromStdString(mesh->materials[material].name), material);
        m_material->setVisible(m_material->count() > 1);
        fillValues(m_figures && !m_figures->misses.empty());
    }
    QString figures;
    if (m_figures) {
        const BakeFigures& f = *m_figures;
        if (f.charts > 0)
            figures = tr("%1 charts, stretch %2, %3 % full, %4 texels a metre\n")
                          .arg(QString::fromStdString(formatCount(f.charts)), number(f.stretch), percent(f.fill),
                               QString::fromStdString(formatCount(std::size_t(f.texelsPerMetre))));
        figures += f.missed == 0 ? tr("Every texel found the source.")
                                 : tr("%1 of %2 texels found nothing of the source.")
                                       .arg(QString::fromStdString(formatCount(f.missed)),
                                            QString::fromStdString(formatCount(f.covered)));
        if (f.look.pixelsTall > 0)
            figures += tr("\nLooks off by %1 (CIELAB) on average, %2 from the worst side, seen %3 px tall.")
                           .arg(number(f.look.mean), number(f.look.worst))
                           .arg(int(std::lround(f.look.pixelsTall)));
    }
    m_figuresLine->setText(figures);
    m_figuresLine->setVisible(!figures.isEmpty());
    m_miss->setVisible(m_figures && m_figures->missed > 0 && !m_figures->misses.empty());
    if (isOther) emit contentWanted();
}

void SheetPanel::fillValues(bool knowsMisses) {
    const int before = m_value->count() > 0 ? m_value->currentData().toInt() : -1;
    m_value->clear();
    if (m_mesh && m_material->count() > 0)
        for (const SheetValue value : valuesOf(*m_mesh, material(), knowsMisses))
            m_value->addItem(nameOf(value), int(value));
    if (const int same = m_value->findData(before); same >= 0) m_value->setCurrentIndex(same);
    m_value->setVisible(m_value->count() > 0);
    m_lit->setVisible(m_value->count() > 1);
}

// A row for each part; sliders that are there already stay, so that they can be dragged and stepped on.
void SheetPanel::fillParts() {
    PartRows rows{{}, m_figures ? m_figures->parts : std::vector<PartShare>()};
    if (!rows.shares.empty())
        for (const PartShare& share : rows.shares) rows.names.push_back(share.part);
    else if (m_mesh)
        for (const Part& part : m_mesh->parts) rows.names.push_back(part.name);
    if (rows.names.size() <= 1) rows = {};
    if (rows != m_rowsShown) {
        m_rowsShown = rows;
        while (QLayoutItem* item = m_partRows->takeAt(0)) {
            if (item->widget() != nullptr) item->widget()->deleteLater();
            delete item;
        }
        for (std::size_t i = 0; i < rows.names.size(); ++i)
            addPartRow(rows.names[i], rows.shares.empty() ? nullptr : &rows.shares[i]);
        m_parts->setVisible(!rows.names.empty());
    }
    m_isSettingFactors = true;
    for (int row = 0; row < int(rows.names.size()); ++row) {
        auto* slider = qobject_cast<QSlider*>(m_partRows->itemAtPosition(row, 2)->widget());
        const auto known = std::find_if(m_choice.factors.begin(), m_choice.factors.end(),
                                        [&](const PartFactor& f) { return f.part == rows.names[std::size_t(row)]; });
        const double factor = known != m_choice.factors.end() ? known->factor : 1;
        if (!slider->isSliderDown()) slider->setValue(int(std::lround(stepsOfDoubling * std::log2(factor))));
    }
    m_isSettingFactors = false;
}

// What the part takes and what is seen of it, once that is known, and a slider.
void SheetPanel::addPartRow(const std::string& name, const PartShare* share) {
    auto* takes = makeQuietLabel();
    if (share != nullptr) {
        takes->setText(tr("%1 % of it, %2 % seen").arg(percent(share->sheet), percent(share->seen)));
        if (share->isHog()) {
            takes->setObjectName("warn");
            takes->setToolTip(tr("It takes far more of the sheet than it shows: give it a smaller factor"));
        }
    }
    auto* slider = new QSlider(Qt::Horizontal);
    slider->setObjectName("factor " + QString::fromStdString(name));
    slider->setRange(-mostSteps, mostSteps);
    slider->setFixedWidth(64);
    slider->setToolTip(tr("How many times the texels along a side this part gets"));
    auto* value = makeQuietLabel();
    const auto factorOf = [](int steps) { return std::round(100 * std::exp2(steps / stepsOfDoubling)) / 100; };
    const auto tell = [value, factorOf](int steps) { value->setText(number(factorOf(steps)) + " x"); };
    tell(0);
    value->setMinimumWidth(value->fontMetrics().horizontalAdvance("0.00 x"));
    const auto decide = [this, slider, factorOf, name] {
        change([&](BakeChoice& c) {
            std::erase_if(c.factors, [&](const PartFactor& f) { return f.part == name; });
            if (slider->value() != 0) c.factors.push_back({name, factorOf(slider->value())});
        });
    };
    connect(slider, &QSlider::valueChanged, this, [this, slider, tell, decide](int steps) {
        tell(steps);
        if (!slider->isSliderDown() && !m_isSettingFactors) decide();
    });
    connect(slider, &QSlider::sliderReleased, this, decide);
    const int row = m_partRows->count() / 4;
    m_partRows->addWidget(makeQuietLabel(QString::fromStdString(name)), row, 0);
    m_partRows->addWidget(takes, row, 1);
    m_partRows->addWidget(slider, row, 2);
    m_partRows->addWidget(value, row, 3);
}

std::uint32_t SheetPanel::material() const {
    return m_material->count() > 0 ? m_material->currentData().toUInt() : 0;
}

SheetValue SheetPanel::value() const {
    return m_value->count() > 0 ? SheetValue(m_value->currentData().toInt()) : SheetValue::Checker;
}

void SheetPanel::chooseValue(SheetValue value) {
    if (const int index = m_value->findData(int(value)); index >= 0) {
        m_value->setCurrentIndex(index);
        emit contentWanted();
    }
}

QString SheetPanel::figures() const {
    return m_figuresLine->text();
}

CommitField* SheetPanel::field(const QString& name) const {
    return findChild<CommitField*>(name);
}

void SheetPanel::setContent(std::shared_ptr<const SheetContent> content) {
    const auto meshOf = [](const std::shared_ptr<const SheetContent>& one) { return one ? one->mesh : nullptr; };
    if (meshOf(content) != meshOf(m_content)) {
        m_picture->setChart({});
        m_picture->setMark(std::nullopt);
    }
    m_content = std::move(content);
    m_pointed->setText(" ");
    const bool hasUvs = m_content && m_content->mesh && !m_content->mesh->uvs.empty();
    if (!hasUvs) {
        m_picture->show({}, {});
        m_facts->clear();
        m_picture->setWords(
            !m_mesh ? QString()
            : m_bake->isEnabled()
                ? tr("%1 has no UVs. Baking gives it new ones, with the source's look on them.").arg(m_name)
                : tr("%1 has no UVs. A level gets new ones when it is baked.").arg(m_name));
        return;
    }
    m_picture->setWords({});
    m_picture->show(m_content->image, m_content->allRims());
    const bool isSheet = !m_content->image.isNull() && value() != SheetValue::Checker;
    m_facts->setText(isSheet ? tr("%1 x %2").arg(m_content->image.width()).arg(m_content->image.height()) : QString());
}

void SheetPanel::showUnfinished(const QImage& image) {
    m_picture->setWords({});
    m_picture->showUnfinished(image);
}

void SheetPanel::pointAt(TriangleId triangle, const Vec3d& place) {
    if (!m_content || m_content->charts.count == 0 || triangle >= m_content->isOnIt.size()) return;
    if (m_content->isOnIt[triangle] == 0) {
        // It lies on another sheet: that one is shown.
        showSheetOf(triangle);
        return;
    }
    m_picture->setChart(m_content->rimOf(m_content->charts.chartOf[triangle]));
    m_picture->setMark(m_content->placeInSheet(triangle, place));
    emit chartPointedAt(m_content->rimOnSurface(m_content->charts.chartOf[triangle]));
}

void SheetPanel::showSheetOf(TriangleId triangle) {
    for (const Section& section : m_mesh->sections) {
        if (triangle < section.firstTriangle || triangle - section.firstTriangle >= section.triangleCount) continue;
        for (int index = 0; index < m_material->count(); ++index)
            if (sheetOf(*m_mesh, m_material->itemData(index).toUInt()) == sheetOf(*m_mesh, section.material)) {
                m_material->setCurrentIndex(index);
                emit contentWanted();
                return;
            }
    }
}

void SheetPanel::pointAtChart(const QPointF& place, bool isChosen) {
    if (!m_content || m_content->charts.count == 0) return;
    const auto triangle = m_content->triangleAt(place);
    if (!triangle) {
        m_picture->setChart({});
        m_pointed->setText(" ");
        emit chartPointedAt({});
        return;
    }
    const std::uint32_t chart = m_content->charts.chartOf[*triangle];
    m_picture->setChart(m_content->rimOf(chart));
    emit chartPointedAt(m_content->rimOnSurface(chart));
    for (const Section& section : m_mesh->sections)
        if (*triangle >= section.firstTriangle && *triangle - section.firstTriangle < section.triangleCount)
            m_pointed->setText(tr("Chart %1 of %2, %3")
                                   .arg(chart + 1)
                                   .arg(m_content->charts.count)
                                   .arg(QString::fromStdString(m_mesh->parts[section.part].name)));
    if (!isChosen) return;
    m_picture->setMark(place);
    emit placeChosen(m_content->placeOnSurface(*triangle, place));
}

}  // namespace um::app
