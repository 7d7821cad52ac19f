#include "app/sheet/SheetPanel.h"

#include "app/jobs/Job.h"
#include "app/panels/Widgets.h"
#include "app/sheet/BakePage.h"
#include "app/sheet/MergePage.h"
#include "app/sheet/SheetPicture.h"
#include "app/sheet/SheetWork.h"
#include "app/theme/NumberText.h"
#include "app/theme/Theme.h"
#include "app/viewport/Renderer.h"
#include "base/Units.h"
#include "mesh/Materials.h"

#include <cmath>
#include <QComboBox>
#include <QHBoxLayout>
#include <QMenu>
#include <QScrollArea>

namespace um::app {
namespace {

bool canMerge(const Mesh& mesh) {
    const std::vector<std::uint8_t> isUsed = usedMaterials(mesh);
    return std::count(isUsed.begin(), isUsed.end(), 1) > 1;
}

}  // namespace

SheetPanel::SheetPanel(SheetWork& work, QWidget* parent)
    : QWidget(parent),
      m_heading(makeHeading(tr("SHEET"))),
      m_facts(makeQuietLabel()),
      m_pointed(makeQuietLabel()),
      m_figuresLine(new QLabel),
      m_material(new QComboBox),
      m_value(new QComboBox),
      m_lit(new QPushButton(tr("Lit with …"))),
      m_miss(new QPushButton(tr("Next miss"))),
      m_bake(new QPushButton),
      m_how(new QPushButton(tr("How …"))),
      m_litMenu(new QMenu(this)),
      m_picture(new SheetPicture),
      m_bakePage(new BakePage),
      m_mergePage(new MergePage),
      m_together(new QPushButton(tr("Merge …"))),
      m_merge(new QPushButton(tr("Merge materials"))) {
    for (QComboBox* box : {m_material, m_value}) {
        box->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
        box->setMinimumContentsLength(6);
    }
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
    keepNarrow(*m_material);
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
    upper->addWidget(m_bakePage);
    upper->addWidget(m_mergePage);
    upper->addStretch();
    QScrollArea* scroll = makeScroll(content);
    m_bake->setObjectName("primary");
    m_how->setCheckable(true);
    m_how->setToolTip(
        tr("How levels are baked: the sheet, who gets how much of it, how deep the source is looked for"));
    connect(m_how, &QPushButton::clicked, this, [this](bool open) { openPage(open ? Page::Bake : Page::Seen); });
    m_merge->setObjectName("primary");
    m_together->setCheckable(true);
    m_together->setToolTip(tr("Several materials in one set of textures, the geometry as it is"));
    connect(m_together, &QPushButton::clicked, this, [this](bool open) { openPage(open ? Page::Merge : Page::Seen); });
    auto* buttons = new QHBoxLayout;
    buttons->setSpacing(6);
    buttons->addWidget(m_bake, 1);
    buttons->addWidget(m_merge, 1);
    buttons->addWidget(m_how);
    buttons->addWidget(m_together);
    auto* lower = new QVBoxLayout;
    lower->setContentsMargins(16, 0, 16, 12);
    lower->setSpacing(6);
    Job& baking = work.bakingJob();
    m_strip = new JobStrip(baking, tr("Baking"));
    lower->addWidget(new JobStrip(work.forecastJob(), tr("Laying out")));
    lower->addWidget(new JobStrip(work.cageJob(), tr("Measuring the cage")));
    lower->addWidget(m_strip);
    lower->addLayout(buttons);
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(8);
    column->addWidget(scroll, 1);
    column->addLayout(lower);
    openPage(Page::Seen);
    const auto offer = [this](bool offers) {
        m_bake->setVisible(offers && m_page != Page::Merge);
        m_merge->setVisible(offers && m_page == Page::Merge);
    };
    connect(&baking, &Job::started, this, [offer] { offer(false); });
    connect(&baking, &Job::ended, this, [offer] { offer(true); });
    connectAll();
}

void SheetPanel::connectAll() {
    connect(m_bake, &QPushButton::clicked, this, &SheetPanel::bakeWanted);
    connect(m_miss, &QPushButton::clicked, this, &SheetPanel::missWanted);
    connect(m_material, &QComboBox::activated, this, [this] {
        fillValues(m_figures && !m_figures->misses.empty());
        emit contentWanted();
    });
    connect(m_value, &QComboBox::activated, this, &SheetPanel::contentWanted);
    connect(m_bakePage, &BakePage::choiceChanged, this, &SheetPanel::choiceChanged);
    connect(m_bakePage, &BakePage::cageWanted, this, &SheetPanel::cageWanted);
    connect(m_mergePage, &MergePage::choiceChanged, this, &SheetPanel::mergeChoiceChanged);
    connect(m_merge, &QPushButton::clicked, this, &SheetPanel::mergeWanted);
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

void SheetPanel::openPage(Page page) {
    m_page = page;
    m_strip->setWhat(page == Page::Merge ? tr("Merging") : tr("Baking"));
    m_how->setChecked(page == Page::Bake);
    m_how->setText(page == Page::Bake ? tr("Back") : tr("How …"));
    m_together->setChecked(page == Page::Merge);
    m_together->setText(page == Page::Merge ? tr("Back") : tr("Merge …"));
    m_seen->setVisible(page == Page::Seen);
    m_bakePage->setVisible(page == Page::Bake);
    m_mergePage->setVisible(page == Page::Merge);
    m_heading->setText(page == Page::Bake    ? tr("HOW LEVELS ARE BAKED")
                       : page == Page::Merge ? tr("MERGE MATERIALS")
                                             : tr("SHEET"));
    m_facts->setVisible(page == Page::Seen);
    m_bake->setVisible(page != Page::Merge);
    m_how->setVisible(page != Page::Merge);
    m_merge->setVisible(page == Page::Merge);
    m_together->setVisible(page != Page::Bake);
    if (page != Page::Bake) m_bakePage->stopBrushing();
    if (page == Page::Merge) emit forecastWanted();
}

void SheetPanel::show(const QString& name, const std::shared_ptr<const Mesh>& mesh, const Level* level, bool canBake,
                      const BakeChoice& bake, const MergeChoice& merge) {
    const bool isOther = mesh != m_mesh;
    m_mesh = mesh;
    m_name = name;
    m_figures = level != nullptr ? level->bake : std::nullopt;
    m_bakePage->show(mesh, level != nullptr, m_figures ? &*m_figures : nullptr, bake);
    const bool isForecastOld = m_mergePage->show(mesh, bake, merge);
    m_together->setEnabled(mesh && canMerge(*mesh));
    constexpr int widest = 84;
    m_bake->setText(tr("Bake %1").arg(m_bake->fontMetrics().elidedText(name, Qt::ElideMiddle, widest)));
    m_bake->setEnabled(canBake);
    m_bake->setToolTip(canBake
                           ? tr("New UVs, and the source's look in one set of textures; undo brings the old ones back")
                           : tr("Choose a level on the left: it is baked from the source"));
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
            figures = tr("%1, stretch %2, %3 % full, %4 texels a metre\n")
                          .arg(QString::fromStdString(countOf(f.charts, "chart", "charts")), number(f.stretch),
                               percent(f.fill), QString::fromStdString(formatCount(std::size_t(f.texelsPerMetre))));
        figures += f.missed == 0 ? tr("Every texel found the source.")
                                 : tr("%1 of %2 texels found nothing of the source.")
                                       .arg(QString::fromStdString(formatCount(f.missed)),
                                            QString::fromStdString(formatCount(f.covered)));
        if (f.look.pixelsTall > 0)
            figures += tr("\nLooks off by %1 (CIELAB) on average, %2 from the worst side, seen %3 px tall.")
                           .arg(number(f.look.mean), number(f.look.worst))
                           .arg(int(std::lround(f.look.pixelsTall)));
    }
    if (figures.isEmpty() && mesh && mesh == m_merged) figures = m_mergedFigures;
    m_figuresLine->setText(figures);
    m_figuresLine->setVisible(!figures.isEmpty());
    m_miss->setVisible(m_figures && m_figures->missed > 0 && !m_figures->misses.empty());
    if (isOther) emit contentWanted();
    if (isForecastOld && m_page == Page::Merge) emit forecastWanted();
}

void SheetPanel::showMerged(const std::shared_ptr<const Mesh>& mesh, const MaterialCost& before,
                            const MaterialCost& after) {
    m_merged = mesh;
    m_mergedFigures = tr("Merged: materials %1 to %2, textures %3 to %4, draw calls %5 to %6, texture memory %7 to "
                         "%8 MB.")
                          .arg(before.materials)
                          .arg(after.materials)
                          .arg(before.textures)
                          .arg(after.textures)
                          .arg(before.drawCalls)
                          .arg(after.drawCalls)
                          .arg(number(before.textureBytes / 1e6), number(after.textureBytes / 1e6));
    if (mesh != m_mesh) return;
    m_figuresLine->setText(m_mergedFigures);
    m_figuresLine->show();
}

void SheetPanel::fillValues(bool knowsMisses) {
    // What was the only one nobody chose.
    const int before = m_value->count() > 1 ? m_value->currentData().toInt() : -1;
    m_value->clear();
    if (m_mesh && m_material->count() > 0)
        for (const SheetValue value : valuesOf(*m_mesh, material(), knowsMisses))
            m_value->addItem(nameOf(value), int(value));
    if (const int same = m_value->findData(before); same >= 0) m_value->setCurrentIndex(same);
    m_value->setVisible(m_value->count() > 0);
    m_lit->setVisible(m_value->count() > 1);
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
        constexpr int widest = 220;
        const QString name = m_picture->fontMetrics().elidedText(m_name, Qt::ElideMiddle, widest);
        m_picture->setWords(
            !m_mesh ? QString()
            : m_bake->isEnabled()
                ? tr("%1 has no UVs. Baking gives it new ones, with the source's look on them.").arg(name)
                : tr("%1 has no UVs. A level gets new ones when it is baked.").arg(name));
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
