#include "app/desks/AssetDesk.h"

#include "app/desks/HealthWatch.h"
#include "app/desks/OutlineWatch.h"
#include "app/panels/EvidencePanel.h"
#include "app/panels/EvidenceSheet.h"
#include "app/panels/ExportCard.h"
#include "app/panels/FindingsCard.h"
#include "app/panels/OutlinePanel.h"
#include "app/panels/PartsPanel.h"
#include "app/panels/ProtectPanel.h"
#include "app/panels/TargetPanel.h"
#include "app/panels/Widgets.h"
#include "app/sightline/SightlineStrip.h"
#include "app/theme/Theme.h"
#include "app/viewport/OutlineLayer.h"
#include "app/viewport/ViewArea.h"
#include "base/Error.h"
#include "base/File.h"
#include "base/Units.h"
#include "chain/ReduceToTarget.h"
#include "document/Report.h"
#include "mesh/Statistics.h"
#include "reduce/Cluster.h"

#include <cmath>
#include <QDate>
#include <QHBoxLayout>
#include <QScrollArea>
#include <QVBoxLayout>

namespace um::app {
namespace {

constexpr int leftWidth = 222;
constexpr int rightWidth = 292;

QWidget* makePanel(int width) {
    auto* panel = new QWidget;
    panel->setObjectName("panel");
    panel->setAttribute(Qt::WA_StyledBackground);
    panel->setFixedWidth(width);
    return panel;
}

}  // namespace

AssetDesk::AssetDesk(DocumentModel& model, MessageBar& messages, QWidget* parent)
    : QWidget(parent),
      m_model(model),
      m_messages(messages),
      m_parts(new PartsPanel),
      m_levels(new LevelsPanel),
      m_view(new ViewArea),
      m_target(new TargetPanel(m_reducing)),
      m_protect(new ProtectPanel),
      m_evidence(new EvidencePanel(m_measuring)),
      m_outlineWatch(new OutlineWatch(m_view->viewport(), this)),
      m_outline(new OutlinePanel(m_outlineWatch->job())),
      m_sightline(new SightlineStrip),
      m_decision(new QWidget),
      m_keep(new QPushButton),
      m_replace(new QPushButton(tr("Replace"))),
      m_discard(new QPushButton(tr("Discard"))) {
    setObjectName("desk");
    m_export = new ExportCard(m_view);
    m_findings = new FindingsCard(m_view);
    m_health = new HealthWatch(this);
    for (QWidget* card : std::initializer_list<QWidget*>{m_export, m_findings}) m_view->addCard(card);
    auto* middle = new QHBoxLayout;
    middle->setSpacing(0);
    m_left = makeLeft();
    m_right = makeRight();
    middle->addWidget(m_left);
    middle->addWidget(m_view, 1);
    middle->addWidget(m_right);
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(0);
    column->addLayout(middle, 1);
    column->addWidget(m_sightline);

    connect(&m_model, &DocumentModel::opened, this, &AssetDesk::documentOpened);
    connect(&m_model, &DocumentModel::changed, this, &AssetDesk::documentChanged);
    connect(m_target, &TargetPanel::reduceWanted, this, &AssetDesk::reduce);
    connect(m_protect, &ProtectPanel::changed, this, &AssetDesk::changeCare);
    connect(m_parts, &PartsPanel::guardChosen, this, &AssetDesk::guardPart);
    connect(m_evidence, &EvidencePanel::measureWanted, this, [this] {
        m_declined.clear();
        measureNext();
    });
    connect(m_evidence, &EvidencePanel::worstWanted, this, &AssetDesk::goToWorst);
    connect(m_levels, &LevelsPanel::chosen, this, &AssetDesk::show);
    connect(m_levels, &LevelsPanel::renamed, this, &AssetDesk::renameLevel);
    connect(m_levels, &LevelsPanel::removed, this, &AssetDesk::removeLevel);
    connect(m_levels, &LevelsPanel::exportWanted, this, &AssetDesk::openExport);
    connect(m_parts, &PartsPanel::partChosen, m_view, &ViewArea::setChosenPart);
    connect(m_parts, &PartsPanel::unitChosen, this, [this](double metres) {
        // The coordinates stay; only what they mean changes.
        Document next = m_model.document();
        auto source = std::make_shared<Mesh>(*next.source);
        source->metresPerUnit = metres;
        source->unitStated = true;
        next.source = std::move(source);
        for (Level& level : next.levels) {
            auto mesh = std::make_shared<Mesh>(*level.mesh);
            mesh->metresPerUnit = metres;
            mesh->unitStated = true;
            level.mesh = std::move(mesh);
        }
        discardPreview();
        m_model.change(tr("Unit"), std::move(next));
    });
    connect(m_outlineWatch, &OutlineWatch::measured, this,
            [this] { m_outline->show(m_outlineWatch->silhouette(), m_outlineWatch->heightPixels()); });
    connect(m_outlineWatch, &OutlineWatch::seenFromHere, this, [this](const auto& difference) {
        m_view->setOutlineLine(!difference ? QString()
                                           : tr("outline off by %1 px from here, seen %2 px tall")
                                                 .arg(QString::fromStdString(formatNumber(difference->max)))
                                                 .arg(int(std::lround(m_outlineWatch->heightPixels()))));
    });
    connect(m_outlineWatch, &OutlineWatch::pictureChanged, &m_view->outlineLayer(), &OutlineLayer::setPicture);
    connect(m_view, &ViewArea::outlineWanted, m_outlineWatch, &OutlineWatch::setPictureWanted);
    connect(m_outline, &OutlinePanel::lookWanted, this, [this](const Direction& direction) {
        m_view->viewport().lookFrom(direction.azimuth * pi / 180, direction.elevation * pi / 180);
    });
    connect(&m_view->viewport(), &Viewport::cameraChanged, this,
            [this] { m_outline->disc().setEye(m_view->viewport().camera().turn().row(2).transpose()); });
    connect(m_sightline, &SightlineStrip::viewerMoved, this, &AssetDesk::followViewer);
    connect(m_health, &HealthWatch::found, this, &AssetDesk::refreshFindings);
    connect(m_findings, &FindingsCard::repairWanted, this, &AssetDesk::repair);
    connect(m_findings, &FindingsCard::closed, this, [this] { m_view->setMark(std::nullopt); });
    connect(m_findings, &FindingsCard::placeChosen, this, [this](const Vec3f& place) {
        m_view->viewport().lookAt(place.cast<double>(), 0.07 * diagonal(*shownMesh()));
        m_view->setMark(place.cast<double>());
    });
    connect(m_export, &ExportCard::exported, &m_messages, &MessageBar::say);
    connect(m_keep, &QPushButton::clicked, this, &AssetDesk::keepPreview);
    connect(m_replace, &QPushButton::clicked, this, &AssetDesk::replaceSource);
    connect(m_discard, &QPushButton::clicked, this, &AssetDesk::discardPreview);
    for (Job* job : {&m_reducing, &m_measuring, &m_counting, &m_preparing, &m_outlining, &m_repairing, &m_judging,
                     &m_health->job(), &m_outlineWatch->job()})
        connect(job, &Job::failed, &m_messages, &MessageBar::say);
    connect(&m_measuring, &Job::cancelled, this, [this] {
        if (m_beingMeasured) m_declined.push_back(m_beingMeasured.get());
        m_beingMeasured.reset();
        refresh();
    });
    for (Job* job : {&m_measuring, &m_reducing}) connect(job, &Job::ended, this, &AssetDesk::measureNext);
    refresh();
}

AssetDesk::~AssetDesk() = default;

QWidget* AssetDesk::makeLeft() {
    QWidget* panel = makePanel(leftWidth);
    auto* column = new QVBoxLayout(panel);
    column->setContentsMargins(8, 14, 8, 10);
    column->setSpacing(10);
    column->addWidget(m_parts, 5);
    column->addWidget(makeRule());
    column->addWidget(m_levels, 3);
    return panel;
}

QWidget* AssetDesk::makeRight() {
    m_keep->setObjectName("primary");
    m_keep->setToolTip(tr("Keeps the result as a level beside the source"));
    m_replace->setToolTip(tr("Puts the result in the source's place; undo brings the source back"));
    m_discard->setToolTip(tr("Drops the result; the source and the kept levels stay"));
    for (QPushButton* button : {m_keep, m_replace, m_discard}) button->setStyleSheet("padding: 7px 8px");
    auto* buttons = new QHBoxLayout(m_decision);
    buttons->setContentsMargins(0, 0, 0, 0);
    buttons->setSpacing(6);
    buttons->addWidget(m_keep, 1);
    buttons->addWidget(m_replace);
    buttons->addWidget(m_discard);
    QWidget* panel = makePanel(rightWidth);
    // In a low window the upper part scrolls; the decision always stays in sight.
    auto* content = new QWidget;
    auto* upper = new QVBoxLayout(content);
    upper->setContentsMargins(16, 12, 16, 0);
    upper->setSpacing(8);
    upper->addWidget(m_target);
    upper->addWidget(m_protect);
    upper->addWidget(makeRule());
    upper->addWidget(m_evidence);
    upper->addWidget(m_outline);
    upper->addStretch();
    auto* scroll = new QScrollArea;
    scroll->setWidget(content);
    scroll->setWidgetResizable(true);
    scroll->setFrameShape(QFrame::NoFrame);
    scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    auto* lower = new QVBoxLayout;
    lower->setContentsMargins(16, 0, 16, 12);
    lower->addWidget(m_decision);
    auto* column = new QVBoxLayout(panel);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(10);
    column->addWidget(scroll, 1);
    column->addLayout(lower);
    return panel;
}

void AssetDesk::keepDrawable(const std::shared_ptr<const Mesh>& mesh, const Deviation* evidence,
                             const Drawable& drawable) {
    m_drawables[mesh.get()] = {evidence, drawable};
}

std::optional<Drawable> AssetDesk::drawableOf(const std::shared_ptr<const Mesh>& mesh,
                                              const Deviation* evidence) const {
    const auto found = m_drawables.find(mesh.get());
    if (found == m_drawables.end() || found->second.first != evidence) return std::nullopt;
    return found->second.second;
}

const Level* AssetDesk::shownLevel() const {
    if (m_shown.level == Shown::preview) return m_preview ? &*m_preview : nullptr;
    const auto& levels = m_model.document().levels;
    return m_shown.level >= 0 && std::size_t(m_shown.level) < levels.size() ? &levels[std::size_t(m_shown.level)]
                                                                            : nullptr;
}

std::shared_ptr<const Mesh> AssetDesk::shownMesh() const {
    const Level* level = shownLevel();
    return level != nullptr ? level->mesh : m_model.document().source;
}

bool AssetDesk::isIdle() const {
    return !m_reducing.isRunning() && !m_measuring.isRunning() && !m_counting.isRunning() && !m_preparing.isRunning() &&
           !m_outlining.isRunning() && !m_repairing.isRunning() && !m_judging.isRunning() && m_outlineWatch->isIdle() &&
           m_health->isIdle() && (!m_model.isOpen() || m_view->viewport().isSettled());
}

void AssetDesk::documentOpened() {
    cancelEverything();
    m_preview.reset();
    m_declined.clear();
    m_shown = {};
    m_countedSource.reset();
    m_target->showTarget({});
}

void AssetDesk::documentChanged() {
    if (shownLevel() == nullptr) m_shown = {};
    const Document& document = m_model.document();
    if (document.source != m_countedSource) gatherStatisticsOfSource();
    if (document.source != m_outlinedSource) drawOutlines();
    m_sightline->setScreen(document.screen);
    m_target->setSource(document.source ? document.source->triangleCount() : 0,
                        document.source ? document.source->metresPerUnit : 1, document.screen);
    refresh();
    measureNext();
}

// What an undo brings back is made ready once more; keeping all of it would fill the memory with forgotten attempts.
void AssetDesk::dropUnusedDrawables() {
    const Document& document = m_model.document();
    std::erase_if(m_drawables, [&](const auto& entry) {
        const Mesh* mesh = entry.first;
        if (document.source.get() == mesh || (m_preview && m_preview->mesh.get() == mesh)) return false;
        return std::none_of(document.levels.begin(), document.levels.end(),
                            [&](const Level& level) { return level.mesh.get() == mesh; });
    });
}

void AssetDesk::show(Shown shown) {
    m_shown = shown;
    if (shownLevel() == nullptr) m_shown = {};
    // The mark belonged to another mesh.
    m_view->setMark(std::nullopt);
    m_wasAtWorst = false;
    refresh();
}

// Brings everything on the desk in line with the document, the preview and what is chosen.
void AssetDesk::refresh() {
    const Document& document = m_model.document();
    const Level* level = shownLevel();
    m_levels->show(document, m_preview, m_shown);
    m_protect->show(document.care);
    m_parts->setGuard(document.care.guard);
    m_evidence->show(level, document.tolerance,
                     level != nullptr && m_measuring.isRunning() && m_beingMeasured == level->mesh);
    // While nothing is open there is nothing to say beside the picture.
    for (QWidget* panel : std::initializer_list<QWidget*>{m_left, m_right, m_sightline})
        panel->setVisible(m_model.isOpen());
    m_decision->setVisible(m_preview.has_value());
    m_keep->setText(tr("Keep as LOD %1").arg(document.levels.size()));
    std::vector<std::shared_ptr<const Mesh>> meshes = {document.source};
    for (const Level& kept : document.levels) meshes.push_back(kept.mesh);
    if (m_preview) meshes.push_back(m_preview->mesh);
    m_health->watch(std::move(meshes));
    refreshLines();
    refreshFindings();
    const bool measured = level != nullptr && level->evidence != nullptr;
    m_view->setPossible(m_model.isOpen(), measured, level != nullptr);
    if (!m_model.isOpen()) return;
    dropUnusedDrawables();
    m_view->setTolerance(document.tolerance, document.source->metresPerUnit);
    m_view->setShownName(level != nullptr ? QString::fromStdString(level->name) : QString());
    followViewer(document.viewerDistance);

    const auto source = drawableOf(document.source, nullptr);
    const Deviation* evidence = level != nullptr ? level->evidence.get() : nullptr;
    const auto mesh = shownMesh();
    const auto drawable = drawableOf(mesh, evidence);
    if (source && drawable) {
        m_view->viewport().setMeshes(*source, *drawable);
        return;
    }
    // What was not drawn yet, or is measured since, is made ready beside the window; until then the old picture stays.
    const auto keptEvidence = level != nullptr ? level->evidence : nullptr;
    m_preparing.start([this, mesh, keptEvidence, sourceMesh = document.source, hasSource = source.has_value(),
                       hasMesh = drawable.has_value()](const Progress& progress) -> Job::Delivery {
        const Drawable sourceDrawable =
            hasSource ? Drawable{} : makeDrawable(sourceMesh, nullptr, progress.span(0, 0.5));
        const Drawable meshDrawable =
            hasMesh || mesh == sourceMesh ? Drawable{} : makeDrawable(mesh, keptEvidence.get(), progress.span(0.5, 1));
        return [this, mesh, keptEvidence, sourceMesh, sourceDrawable, meshDrawable] {
            if (sourceDrawable.full) keepDrawable(sourceMesh, nullptr, sourceDrawable);
            if (meshDrawable.full) keepDrawable(mesh, keptEvidence.get(), meshDrawable);
            refresh();
        };
    });
}

void AssetDesk::refreshLines() {
    const auto mesh = shownMesh();
    if (!mesh) {
        m_view->setLines({}, {}, {});
        return;
    }
    const Document& document = m_model.document();
    const Level* level = shownLevel();
    const QString count = QString::fromStdString(formatCount(mesh->triangleCount()));
    const QString draws = mesh->sections.size() == 1 ? tr("1 draw") : tr("%1 draws").arg(mesh->sections.size());
    if (level == nullptr) {
        m_view->setLines(tr("Source"), tr("%1 triangles · %2").arg(count, draws),
                         document.notes.empty() ? QString() : QString::fromStdString(document.notes.front()));
        return;
    }
    const double share = 100.0 * double(mesh->triangleCount()) / double(document.source->triangleCount());
    const QString facts = tr("%1 triangles · %2 % · %3").arg(count, QString::fromStdString(formatNumber(share)), draws);
    QString second = tr("deviation not measured yet");
    if (level->evidence) {
        const double metres = document.source->metresPerUnit;
        const double within = level->evidence->distribution.shareWithin(document.tolerance / metres);
        second = tr("%1 % within %2, largest deviation %3")
                     .arg(within >= 1 ? 100 : std::min(99.9, 100 * within), 0, 'f', within >= 1 ? 0 : 1)
                     .arg(QString::fromStdString(formatLength(document.tolerance)),
                          QString::fromStdString(formatLength(level->evidence->max * metres)));
    }
    m_view->setLines(m_shown.level == Shown::preview ? tr("Preview") : QString::fromStdString(level->name), facts,
                     second);
}

// Measuring that is in the way is stopped, and taken up again later; only a Cancel by hand ends it for good.
void AssetDesk::interruptMeasuring() {
    m_beingMeasured.reset();
    m_measuring.cancel();
}

void AssetDesk::reduce(const QString& typed, const Target& target) {
    if (!m_model.isOpen() || m_reducing.isRunning()) return;
    interruptMeasuring();
    const auto source = m_model.document().source;
    const Screen screen = m_model.document().screen;
    const ReduceSettings settings = settingsFor(m_model.document().care, *source, screen);
    m_reducing.start([this, typed, target, source, screen, settings](const Progress& progress) -> Job::Delivery {
        auto result =
            std::make_shared<TargetResult>(reduceToTarget(*source, target, screen, settings, progress.span(0, 0.95)));
        auto mesh = std::make_shared<const Mesh>(std::move(result->mesh));
        std::shared_ptr<const Deviation> evidence;
        if (result->deviation) evidence = std::make_shared<const Deviation>(std::move(*result->deviation));
        const Drawable drawable = makeDrawable(mesh, evidence.get(), progress.span(0.95, 1));
        return [this, typed, mesh, evidence, drawable, source, met = result->targetMet, notes = result->notes] {
            if (source != m_model.document().source) return;  // another document was opened meanwhile
            keepDrawable(mesh, evidence.get(), drawable);
            m_preview = Level{tr("Preview").toStdString(), typed.toStdString(), mesh, evidence};
            m_declined.clear();
            show({Shown::preview});
            QString said;
            for (const std::string& sentence : notes.sentences(source->metresPerUnit))
                said += QString::fromStdString(sentence) + " ";
            if (!met)
                said += tr("Stopped at %1 triangles: borders, seams and closed pieces allow no fewer.")
                            .arg(QString::fromStdString(formatCount(mesh->triangleCount())));
            if (!said.isEmpty()) m_messages.say(said.trimmed());
        };
    });
}

void AssetDesk::changeCare(const QString& what, const Care& care) {
    if (!m_model.isOpen()) return;
    Document next = m_model.document();
    try {
        settingsFor(care, *next.source, next.screen);
    } catch (const InputError& error) {
        m_protect->showLooseProblem(QString::fromUtf8(error.what()));
        return;
    }
    next.care = care;
    m_model.change(what, std::move(next));
}

void AssetDesk::guardPart(int part, GuardValue value) {
    Document next = m_model.document();
    const std::string& name = next.source->parts[std::size_t(part)].name;
    std::vector<PartGuard>& parts = next.care.guard.parts;
    std::erase_if(parts, [&](const PartGuard& guard) { return guard.part == name; });
    if (value != 0) parts.push_back({name, value});
    m_model.change(tr("Guard %1").arg(QString::fromStdString(name)), std::move(next));
}

void AssetDesk::writeSheet(const QString& path) {
    if (!m_model.isOpen() || m_judging.isRunning()) return;
    if (m_model.document().levels.empty()) {
        m_messages.say(tr("There is no level to judge yet: keep a result as a level first."));
        return;
    }
    m_messages.say(tr("Writing the evidence sheet; you can go on."));
    const QString date = QDate::currentDate().toString(Qt::ISODate);
    m_judging.start([this, path, document = m_model.document(),
                     date = date.toStdString()](const Progress& progress) -> Job::Delivery {
        const std::string html = reportHtml(document, date, progress);
        const std::filesystem::path file = path.toStdString();
        if (file.extension() == ".pdf")
            writeSheetAsPdf(html, file);
        else
            writeWhole(file, [&](FileWriter& writer) { writer.write(html); });
        return [this, path] { m_messages.say(tr("The evidence sheet is in %1.").arg(path)); };
    });
}

void AssetDesk::readGuards(const QString& path) {
    Document next = m_model.document();
    try {
        next.care.guard = readGuard(path.toStdString());
        guardOfVertices(next.care.guard, *next.source);
    } catch (const Error& error) {
        m_messages.say(QString::fromUtf8(error.what()));
        return;
    }
    m_model.change(tr("Read guards"), std::move(next));
}

void AssetDesk::writeGuards(const QString& path) {
    try {
        writeGuard(m_model.document().care.guard, path.toStdString());
        m_messages.say(tr("Guards written to %1.").arg(path));
    } catch (const Error& error) {
        m_messages.say(QString::fromUtf8(error.what()));
    }
}

// One level after another, the preview first, until all are measured.
void AssetDesk::measureNext() {
    if (!m_model.isOpen() || m_reducing.isRunning() || m_measuring.isRunning()) return;
    const auto waits = [&](const Level& level) {
        return !level.evidence && std::find(m_declined.begin(), m_declined.end(), level.mesh.get()) == m_declined.end();
    };
    std::shared_ptr<const Mesh> mesh;
    if (m_preview && waits(*m_preview)) mesh = m_preview->mesh;
    for (const Level& level : m_model.document().levels)
        if (!mesh && waits(level)) mesh = level.mesh;
    if (!mesh) return;
    m_beingMeasured = mesh;
    const auto source = m_model.document().source;
    m_measuring.start([this, mesh, source](const Progress& progress) -> Job::Delivery {
        auto evidence = std::make_shared<const Deviation>(measureDeviation(*source, *mesh, {}, progress.span(0, 0.95)));
        const Drawable drawable = makeDrawable(mesh, evidence.get(), progress.span(0.95, 1));
        return [this, mesh, source, evidence, drawable] {
            if (source != m_model.document().source) return;
            keepDrawable(mesh, evidence.get(), drawable);
            if (m_preview && m_preview->mesh == mesh) m_preview->evidence = evidence;
            m_beingMeasured.reset();
            m_model.attachEvidence(mesh, evidence);
        };
    });
    refresh();
}

void AssetDesk::gatherStatisticsOfSource() {
    const auto source = m_model.document().source;
    m_countedSource = source;
    m_parts->setSource(source.get());
    if (!source) return;
    m_counting.start([this, source](const Progress& progress) -> Job::Delivery {
        auto statistics = std::make_shared<MeshStatistics>(gatherStatistics(*source, progress));
        return [this, source, statistics] {
            if (source == m_model.document().source) m_parts->setStatistics(*statistics);
        };
    });
}

// The outlines are drawn from a likeness that is fine enough for pictures of some eighty pixels.
void AssetDesk::drawOutlines() {
    const auto source = m_model.document().source;
    m_outlinedSource = source;
    m_sightline->setAsset(0, {});
    if (!source) return;
    const double ratio = devicePixelRatioF();
    m_outlining.start([this, source, ratio](const Progress& progress) -> Job::Delivery {
        constexpr std::size_t enough = 400000;
        const Mesh coarse =
            source->triangleCount() > enough ? clusterVertices(*source, enough, progress.span(0, 0.6)) : Mesh();
        const Mesh& drawn = coarse.triangles.empty() ? *source : coarse;
        const double height = standingHeight(*source) * source->metresPerUnit;
        std::vector<CoverageMask> outlines;
        for (const double pixels : SightlineStrip::outlineHeights()) {
            progress.check();
            outlines.push_back(
                drawCoverage(drawn, Eigen::Matrix3d::Identity(), pixels * ratio / height * source->metresPerUnit));
        }
        return [this, source, height, outlines] {
            if (source != m_model.document().source) return;
            m_sightline->setAsset(height, outlines);
            // A new viewer stands where the asset is still of a good size, but no longer large.
            const double saved = m_model.document().viewerDistance;
            const double largest = double(boundingBox(*source).sizes().maxCoeff()) * source->metresPerUnit;
            followViewer(saved > 0 ? saved
                                   : m_model.document().screen.distance(largest, 0.9 * AsSeenInset::pictureSize));
        };
    });
}

void AssetDesk::followViewer(double metres) {
    if (metres <= 0 || !m_model.isOpen()) return;
    m_model.placeViewer(metres);
    m_sightline->setViewer(metres);
    m_view->setViewer(m_model.document().screen, metres, m_model.document().source->metresPerUnit,
                      m_sightline->pixelsAt(metres));
    watchOutlines();
}

void AssetDesk::watchOutlines() {
    const Level* level = shownLevel();
    m_outlineWatch->watch(m_model.document().source, level != nullptr ? level->mesh : nullptr,
                          m_sightline->pixelsAt(m_model.document().viewerDistance));
    m_outline->setVisible(level != nullptr);
}

void AssetDesk::keepPreview() {
    if (!m_preview) return;
    Document next = m_model.document();
    Level level = *m_preview;
    std::size_t number = next.levels.size();
    const auto taken = [&](const std::string& name) {
        return std::any_of(next.levels.begin(), next.levels.end(),
                           [&](const Level& other) { return other.name == name; });
    };
    do level.name = "LOD " + std::to_string(number++);
    while (taken(level.name));
    next.levels.push_back(level);
    m_preview.reset();
    m_shown = {int(next.levels.size()) - 1};
    m_model.change(tr("Keep %1").arg(QString::fromStdString(level.name)), std::move(next));
}

void AssetDesk::replaceSource() {
    if (!m_preview) return;
    interruptMeasuring();
    Document next = m_model.document();
    um::replaceSource(next, m_preview->mesh);
    m_preview.reset();
    m_shown = {};
    m_model.change(tr("Replace source"), std::move(next));
}

void AssetDesk::discardPreview() {
    if (!m_preview) return;
    if (m_beingMeasured == m_preview->mesh) interruptMeasuring();
    m_preview.reset();
    if (m_shown.level == Shown::preview) m_shown = {};
    refresh();
}

void AssetDesk::cancelEverything() {
    m_reducing.cancel();
    m_measuring.cancel();
    m_repairing.cancel();
    m_judging.cancel();
    m_export->job().cancel();
}

void AssetDesk::renameLevel(int level, const QString& name) {
    Document next = m_model.document();
    if (name.isEmpty() || std::size_t(level) >= next.levels.size()) return;
    next.levels[std::size_t(level)].name = name.toStdString();
    m_model.change(tr("Rename level"), std::move(next));
}

void AssetDesk::removeLevel(int level) {
    Document next = m_model.document();
    if (std::size_t(level) >= next.levels.size()) return;
    next.levels.erase(next.levels.begin() + level);
    m_shown = {};
    m_model.change(tr("Remove level"), std::move(next));
}

void AssetDesk::openExport(int level) {
    if (!m_model.isOpen()) return;
    m_findings->hide();
    m_export->open(m_model.document(), level);
}

void AssetDesk::openFindings() {
    if (!m_model.isOpen()) return;
    m_export->hide();
    refreshFindings();
    m_findings->setVisible(!m_findings->isVisible());
    m_findings->raise();
    if (!m_findings->isVisible()) m_view->setMark(std::nullopt);
}

void AssetDesk::goToWorst() {
    const Level* level = shownLevel();
    if (level == nullptr || !level->evidence) return;
    const Deviation& deviation = *level->evidence;
    const OneSidedDeviation* sides[] = {&deviation.sourceToLevel, &deviation.levelToSource};
    if (sides[0]->max < sides[1]->max) std::swap(sides[0], sides[1]);
    m_wasAtWorst = !m_wasAtWorst;
    const OneSidedDeviation& side = *sides[m_wasAtWorst ? 0 : 1];
    m_view->viewport().lookAt(side.worstPlace, std::max(6 * side.max, 0.05 * diagonal(*level->mesh)));
    m_view->setMark(side.worstPlace);
}

void AssetDesk::refreshFindings() {
    const auto mesh = shownMesh();
    if (!mesh) {
        m_findings->hide();
        emit findingsChanged(-1);
        return;
    }
    const Level* level = shownLevel();
    const auto findings = m_health->of(mesh);
    m_findings->show(level == nullptr ? tr("Source") : QString::fromStdString(level->name), findings,
                     mesh->metresPerUnit);
    emit findingsChanged(findings ? int(findings->size()) : -1);
}

// The mesh shown without a fault: the source, or a level, as one step that can be undone.
void AssetDesk::repair(Fault fault) {
    if (!m_model.isOpen() || m_repairing.isRunning()) return;
    const auto mesh = shownMesh();
    if (m_preview && mesh == m_preview->mesh) {
        m_messages.say(tr("Keep the preview as a level first; then it can be repaired."));
        return;
    }
    m_repairing.start([this, mesh, fault](const Progress& progress) -> Job::Delivery {
        auto repaired = std::make_shared<Mesh>(*mesh);
        const std::size_t count = repairFault(*repaired, fault, progress);
        return [this, mesh, repaired, count, fault] {
            if (count == 0) {
                m_messages.say(tr("None of them can be repaired without tearing or guessing; they stay."));
                return;
            }
            Document next = m_model.document();
            const bool isThere = next.source == mesh || std::any_of(next.levels.begin(), next.levels.end(),
                                                                    [&](const Level& one) { return one.mesh == mesh; });
            if (!isThere) return;  // undone or removed meanwhile
            if (next.source == mesh) {
                interruptMeasuring();
                um::replaceSource(next, repaired);
                m_preview.reset();
            }
            for (Level& level : next.levels)
                if (level.mesh == mesh) {
                    level.mesh = repaired;
                    level.evidence.reset();
                }
            const QString what = QString::fromStdString(repairOf(fault));
            m_view->setMark(std::nullopt);
            m_model.change(tr("%1 %2").arg(what).arg(count), std::move(next));
            m_messages.say(tr("Repaired %1; undo brings them back.").arg(count));
        };
    });
}

}  // namespace um::app
