#include "app/desks/AssetDesk.h"

#include "app/desks/ChainWatch.h"
#include "app/desks/ChainWork.h"
#include "app/desks/CostWatch.h"
#include "app/desks/HealthWatch.h"
#include "app/desks/MeasureQueue.h"
#include "app/desks/OutlineWatch.h"
#include "app/desks/Places.h"
#include "app/desks/SourceFacts.h"
#include "app/desks/WorstTour.h"
#include "app/panels/BudgetPanel.h"
#include "app/panels/ChainCard.h"
#include "app/panels/EvidencePanel.h"
#include "app/panels/EvidenceSheet.h"
#include "app/panels/ExportCard.h"
#include "app/panels/FindingsCard.h"
#include "app/panels/MessageBar.h"
#include "app/panels/OutlinePanel.h"
#include "app/panels/PartsPanel.h"
#include "app/panels/ProtectPanel.h"
#include "app/panels/TargetPanel.h"
#include "app/panels/Widgets.h"
#include "app/sheet/BakePage.h"
#include "app/sheet/SheetPanel.h"
#include "app/sheet/SheetWork.h"
#include "app/sightline/SightlineStrip.h"
#include "app/sightline/Walk.h"
#include "app/theme/Theme.h"
#include "app/viewport/OutlineLayer.h"
#include "app/viewport/ViewArea.h"
#include "base/File.h"
#include "base/Units.h"
#include "document/Edits.h"
#include "document/Report.h"

#include <cmath>
#include <QDate>
#include <QHBoxLayout>
#include <QScrollArea>
#include <QVBoxLayout>

namespace um::app {
namespace {

constexpr int leftWidth = 222;
constexpr int rightWidth = 292;
constexpr int sheetWidth = 344;

QWidget* makePanel(int width) {
    auto* panel = new QWidget;
    panel->setObjectName("panel");
    panel->setAttribute(Qt::WA_StyledBackground);
    panel->setFixedWidth(width);
    return panel;
}

// What is scrolled only once its layout cannot be made any lower. A layout with texts that wrap asks for its pleasant
// height otherwise.
class Yielding : public QWidget {
public:
    int heightForWidth(int width) const override { return layout()->totalMinimumHeightForWidth(width); }
};

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
      m_measuring(new MeasureQueue(this)),
      m_drawables(new DrawableStore(this)),
      m_costs(new CostWatch(this)),
      m_chainWatch(new ChainWatch(this)),
      m_chainWork(new ChainWork(model, this)),
      m_walk(new Walk(this)),
      m_tour(new WorstTour(m_view->viewport(), this)),
      m_places(new Places(*m_view, this)),
      m_facts(new SourceFacts(this)),
      m_evidence(new EvidencePanel(m_measuring->job())),
      m_outlineWatch(new OutlineWatch(m_view->viewport(), this)),
      m_outline(new OutlinePanel(m_outlineWatch->job())),
      m_sightline(new SightlineStrip),
      m_decision(new QWidget),
      m_keep(new QPushButton),
      m_replace(new QPushButton(tr("Replace"))),
      m_discard(new QPushButton(tr("Discard"))) {
    setObjectName("desk");
    m_sheetWork = new SheetWork(model, this);
    m_sheetPanel = new SheetPanel(*m_sheetWork);
    m_sheetPanel->setObjectName("panel");
    m_sheetPanel->setAttribute(Qt::WA_StyledBackground);
    m_sheetPanel->setFixedWidth(sheetWidth);
    m_budget = new BudgetPanel;
    m_export = new ExportCard(m_view);
    m_chainCard = new ChainCard(m_chainWork->job(), m_view);
    m_health = new HealthWatch(this);
    m_findings = new FindingsCard(m_health->job(), m_repairing, m_view);
    for (QWidget* card : std::initializer_list<QWidget*>{m_export, m_findings, m_chainCard}) m_view->addCard(card);
    auto* middle = new QHBoxLayout;
    middle->setSpacing(0);
    m_left = makeLeft();
    m_right = makeRight();
    // The decision on a result stays in sight below either of them. A widget of its own: a layout of which all is
    // hidden would leave the view no height.
    m_side = new QWidget;
    auto* right = new QVBoxLayout(m_side);
    right->setContentsMargins(0, 0, 0, 0);
    right->setSpacing(0);
    right->addWidget(m_right, 1);
    right->addWidget(m_sheetPanel, 1);
    right->addWidget(makeDecision());
    middle->addWidget(m_left);
    middle->addWidget(m_view, 1);
    middle->addWidget(m_side);
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(0);
    column->addLayout(middle, 1);
    column->addWidget(m_sightline);

    connectViews();
    connectReducing();
    connectChain();
    connectSheet();
    connectJobs();
    refresh();
}

void AssetDesk::connectViews() {
    connect(&m_model, &DocumentModel::opened, this, &AssetDesk::documentOpened);
    connect(&m_model, &DocumentModel::changed, this, &AssetDesk::documentChanged);
    connect(m_parts, &PartsPanel::partChosen, m_view, &ViewArea::setChosenPart);
    connect(m_parts, &PartsPanel::partChosen, this, [this](int part) {
        m_sheetPanel->bakePage().setChosenPart(part < 0 ? std::string()
                                                        : m_model.document().source->parts[std::size_t(part)].name);
    });
    connect(m_parts, &PartsPanel::unitChosen, this, &AssetDesk::setUnit);
    connect(m_parts, &PartsPanel::upChosen, this, &AssetDesk::setUp);
    connect(&m_restating, &Job::ended, m_parts, &PartsPanel::showProperties);  // as it is, if that was cancelled
    connect(m_evidence, &EvidencePanel::measureWanted, m_measuring, &MeasureQueue::forgetCancelled);
    connect(m_evidence, &EvidencePanel::worstWanted, this, [this] { goToWorst(); });
    connect(m_evidence, &EvidencePanel::toleranceDragged, this,
            [this](double metres) { m_view->setTolerance(metres, m_model.document().source->metresPerUnit); });
    connect(m_evidence, &EvidencePanel::toleranceChosen, this, [this](double metres) {
        Document next = m_model.document();
        next.tolerance = metres;
        m_model.change(tr("Tolerance"), std::move(next));
    });
    connect(m_levels, &LevelsPanel::chosen, this, &AssetDesk::show);
    connect(m_levels, &LevelsPanel::renamed, this, &AssetDesk::renameLevel);
    connect(m_levels, &LevelsPanel::removed, this, &AssetDesk::removeLevel);
    connect(m_levels, &LevelsPanel::exportWanted, this, &AssetDesk::openExport);
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
    connect(m_view, &ViewArea::tintChanged, this, [this] {
        refreshCosts();
        refreshPicture();
    });
    connect(m_view, &ViewArea::otherChosen, this,
            [this](int other) { compareWith(everythingButShown()[std::size_t(other)]); });
    connect(m_costs, &CostWatch::numbersChanged, &m_view->tintKey(), &TintKey::setNumbers);
    connect(m_outline, &OutlinePanel::lookWanted, this, [this](const Direction& direction) {
        m_tour->stop();
        m_view->viewport().lookFrom(direction.azimuth * pi / 180, direction.elevation * pi / 180);
    });
    connect(m_outline, &OutlinePanel::tourWanted, this, [this](bool wanted) {
        if (wanted && m_outlineWatch->silhouette())
            m_tour->play(*m_outlineWatch->silhouette());
        else
            m_tour->stop();
    });
    connect(m_tour, &WorstTour::playingChanged, m_outline, &OutlinePanel::setTouring);
    connect(&m_view->viewport(), &Viewport::cameraChanged, this,
            [this] { m_outline->disc().setEye(m_view->viewport().camera().turn().row(2).transpose()); });
    connect(&m_view->viewport(), &Viewport::clicked, this, &AssetDesk::probeAt);
    connect(m_sightline, &SightlineStrip::viewerMoved, this, [this](double metres) {
        m_walk->stop();
        followViewer(metres);
        followLevel(metres, true);
    });
    connect(m_findings, &FindingsCard::repairWanted, this, &AssetDesk::repair);
    connect(m_findings, &FindingsCard::lookWanted, m_health, &HealthWatch::lookAgain);
    connect(m_findings, &FindingsCard::closed, m_places, &Places::forget);
    connect(m_findings, &FindingsCard::placeChosen, this,
            [this](const Vec3f& place) { m_places->goTo(shownMesh(), place.cast<double>()); });
    connect(m_export, &ExportCard::exported, &m_messages, &MessageBar::say);
    connect(m_keep, &QPushButton::clicked, this, &AssetDesk::keepPreview);
    connect(m_replace, &QPushButton::clicked, this, &AssetDesk::replaceSource);
    connect(m_discard, &QPushButton::clicked, this, &AssetDesk::discardPreview);
}

void AssetDesk::connectJobs() {
    const auto [counting, drawing] = m_facts->jobs();
    for (Job* job : {&m_reducing,
                     &m_measuring->job(),
                     counting,
                     drawing,
                     &m_drawables->job(),
                     &m_repairing,
                     &m_restating,
                     &m_judging,
                     &m_places->job(),
                     &m_costs->job(),
                     &m_health->job(),
                     &m_outlineWatch->job(),
                     &m_chainWork->job(),
                     &m_chainWork->readingJob(),
                     &m_sheetWork->bakingJob(),
                     &m_sheetWork->readingJob(),
                     &m_sheetWork->forecastJob(),
                     &m_sheetWork->cageJob(),
                     m_chainWatch->jobs()[0],
                     m_chainWatch->jobs()[1]})
        connect(job, &Job::failed, &m_messages, &MessageBar::say);
    connect(m_facts, &SourceFacts::counted, m_parts, &PartsPanel::setStatistics);
    connect(m_facts, &SourceFacts::drawn, this, [this](const Vec3d& size, double height, const auto& outlines) {
        m_assetSize = size;
        m_sightline->setAsset(height, outlines);
        placeFirstViewer();
    });
    connect(m_health, &HealthWatch::found, this, &AssetDesk::refreshFindings);
    connect(m_drawables, &DrawableStore::ready, this, &AssetDesk::refreshPicture);
    connect(&m_reducing, &Job::ended, m_measuring, &MeasureQueue::resume);
    connect(m_measuring, &MeasureQueue::changed, this, &AssetDesk::refresh);
    connect(m_measuring, &MeasureQueue::measured, this,
            [this](const auto& mesh, const auto& evidence, const auto& outline) {
                if (m_preview && m_preview->mesh == mesh) {
                    m_preview->evidence = evidence;
                    m_preview->outline = outline;
                }
                m_model.attachEvidence(mesh, evidence, outline);
            });
}

AssetDesk::~AssetDesk() = default;

QWidget* AssetDesk::makeLeft() {
    QWidget* panel = makePanel(leftWidth);
    auto* content = new QWidget;
    auto* column = new QVBoxLayout(content);
    column->setContentsMargins(8, 14, 8, 10);
    column->setSpacing(10);
    column->addWidget(m_parts, 5);
    column->addWidget(makeRule());
    column->addWidget(m_levels);
    column->addWidget(m_budget);
    // In a low window the lists in it give way first, and then all of it scrolls.
    auto* whole = new QVBoxLayout(panel);
    whole->setContentsMargins(0, 0, 0, 0);
    whole->addWidget(makeScroll(content));
    return panel;
}

QWidget* AssetDesk::makeRight() {
    QWidget* panel = makePanel(rightWidth);
    // In a low window it gives way, and then scrolls.
    auto* content = new Yielding;
    auto* upper = new QVBoxLayout(content);
    upper->setContentsMargins(16, 12, 16, 0);
    upper->setSpacing(8);
    upper->addWidget(m_target);
    upper->addWidget(m_protect);
    upper->addWidget(makeRule());
    upper->addWidget(m_evidence);
    upper->addWidget(m_outline);
    upper->addStretch();
    QScrollArea* scroll = makeScroll(content);
    auto* column = new QVBoxLayout(panel);
    column->setContentsMargins(0, 0, 0, 10);
    column->addWidget(scroll);
    return panel;
}

Job& AssetDesk::measureJob() {
    return m_measuring->job();
}

const Level* AssetDesk::levelOf(Shown shown) const {
    if (shown.level == Shown::preview) return m_preview ? &*m_preview : nullptr;
    const auto& levels = m_model.document().levels;
    return shown.level >= 0 && std::size_t(shown.level) < levels.size() ? &levels[std::size_t(shown.level)] : nullptr;
}

std::shared_ptr<const Mesh> AssetDesk::meshOf(Shown shown) const {
    const Level* level = levelOf(shown);
    return level != nullptr ? level->mesh : m_model.document().source;
}

QString AssetDesk::nameOf(Shown shown) const {
    const Level* level = levelOf(shown);
    if (level == nullptr) return tr("Source");
    return shown.level == Shown::preview ? tr("Preview") : QString::fromStdString(level->name);
}

std::vector<Shown> AssetDesk::everythingButShown() const {
    std::vector<Shown> all = {Shown{}};
    for (int i = 0; i < int(m_model.document().levels.size()); ++i) all.push_back({i});
    if (m_preview) all.push_back({Shown::preview});
    std::erase(all, m_shown);
    return all;
}

bool AssetDesk::isIdle() const {
    const std::initializer_list<const Job*> jobs = {&m_reducing,      &m_measuring->job(), &m_drawables->job(),
                                                    &m_repairing,     &m_restating,        &m_judging,
                                                    &m_places->job(), &m_chainWork->job(), &m_chainWork->readingJob()};
    return std::none_of(jobs.begin(), jobs.end(), [](const Job* job) { return job->isRunning(); }) &&
           m_facts->isIdle() && m_chainWatch->isIdle() && !m_walk->isWalking() && m_outlineWatch->isIdle() &&
           m_costs->isIdle() && m_sheetWork->isIdle() && m_health->isIdle() &&
           (!m_model.isOpen() || m_view->viewport().isSettled());
}

void AssetDesk::documentOpened() {
    cancelEverything();
    m_preview.reset();
    m_shown = m_other = {};
    m_facts->watch(nullptr);
    m_target->showTarget({});
}

void AssetDesk::documentChanged() {
    if (m_previewOf != m_model.document().source) m_preview.reset();
    if (shownLevel() == nullptr) m_shown = {};
    const Document& document = m_model.document();
    if (m_facts->watch(document.source)) {
        const bool mayLie = !document.sourceFile.empty() && !saysWhatIsUp(document.sourceFile);
        m_parts->setSource(document.source.get(), mayLie ? std::optional(document.sourceUp) : std::nullopt,
                           document.unitIsChosen);
        m_sightline->setAsset(0, {});
    }
    m_sightline->setScreen(document.screen);
    m_target->setSource(document.source ? document.source->triangleCount() : 0,
                        document.source ? document.source->metresPerUnit : 1, document.screen);
    refresh();
}

void AssetDesk::show(Shown shown) {
    m_shown = shown;
    if (shownLevel() == nullptr) m_shown = {};
    m_tour->stop();
    // What was pointed out belonged to another mesh.
    m_places->forget();
    refresh();
}

void AssetDesk::compareWith(Shown other) {
    m_other = other;
    m_view->setFinding(std::nullopt);
    refresh();
}

// Brings everything on the desk in line with the document, the preview and what is chosen.
void AssetDesk::refresh() {
    const Document& document = m_model.document();
    const Level* level = shownLevel();
    m_levels->show(document, m_preview, m_shown, staleLevels(document));
    m_chainWatch->watch(document);
    m_target->showThorough(document.care.isThorough);
    m_protect->show(document.care);
    m_parts->setGuard(document.care.guard);
    queueMeasuring();
    m_evidence->show(level, document.tolerance, level != nullptr && m_measuring->isMeasuring(level->mesh));
    m_parts->setEvidence(level != nullptr ? level->evidence : nullptr);
    // While nothing is open there is nothing to say beside the picture.
    for (QWidget* panel : std::initializer_list<QWidget*>{m_left, m_side, m_sightline})
        panel->setVisible(m_model.isOpen());
    m_right->setVisible(!m_sheetIsOpen);
    m_sheetPanel->setVisible(m_sheetIsOpen);
    refreshSheet();
    m_decision->setVisible(m_preview.has_value());
    m_keep->setText(tr("Keep as LOD %1").arg(document.levels.size()));
    std::vector<std::shared_ptr<const Mesh>> meshes = {document.source};
    for (const Level& kept : document.levels) meshes.push_back(kept.mesh);
    if (m_preview) meshes.push_back(m_preview->mesh);
    m_drawables->keepOnly(meshes);
    m_health->watch(std::move(meshes));
    refreshLines();
    refreshFindings();
    if (m_model.isOpen()) {
        m_view->setTolerance(document.tolerance, document.source->metresPerUnit);
        followViewer(document.viewerDistance);
    }
    refreshPicture();
}

Wanted AssetDesk::wantedOf(Shown shown, Shown beside) const {
    // A level is coloured by its own evidence, the source by that of the level beside it.
    const Level* level = levelOf(shown);
    const Level* judged = level != nullptr ? level : levelOf(beside);
    return {meshOf(shown), m_view->tint(), judged != nullptr ? judged->evidence : nullptr, level == nullptr};
}

// What was not drawn yet is made ready beside the window; until then the old picture stays.
void AssetDesk::refreshPicture() {
    if (!m_model.isOpen()) {
        m_view->setPossible({});
        return;
    }
    const std::vector<Shown> others = everythingButShown();
    auto other = std::find(others.begin(), others.end(), m_other);
    if (other == others.end()) other = others.begin();
    // The source stands alone until something is chosen to stand beside it.
    const bool hasPair = other != others.end() && (shownLevel() != nullptr || *other == m_other);
    Shown beside = hasPair ? *other : m_shown;
    // While a level is dithered into the next one, that one is drawn as the player sees it, too.
    const bool fades = m_faded > 0 && m_shown.level == m_drawn && !m_view->compares() && levelOf({m_drawn + 1});
    QStringList names;
    for (const Shown& one : others) names += nameOf(one);
    m_view->setNames(nameOf(m_shown), names, int(other - others.begin()));
    const auto mesh = shownMesh();
    m_view->setPossible({.anything = true,
                         .deviation = wantedOf(m_shown, beside).evidence || wantedOf(beside, m_shown).evidence,
                         .texels = !mesh->textures.empty() && !mesh->uvs.empty(),
                         .outline = shownLevel() != nullptr,
                         .others = !others.empty(),
                         .pair = hasPair});
    // Only now: a tint that is no longer possible has gone.
    if (fades) beside = {m_drawn + 1};
    if (const auto pair = m_drawables->ask(wantedOf(beside, m_shown), wantedOf(m_shown, beside)))
        m_view->viewport().setMeshes(pair->first, pair->second);
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
    const QString draws = QString::fromStdString(countOf(mesh->sections.size(), "draw", "draws"));
    if (level == nullptr) {
        const std::vector<std::string>& said = document.notes.empty() ? document.remarks : document.notes;
        m_view->setLines(tr("Source"), tr("%1 triangles · %2").arg(count, draws),
                         said.empty() ? QString() : QString::fromStdString(said.front()));
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
    m_view->setLines(nameOf(m_shown), facts, second);
}

void AssetDesk::writeSheet(const QString& path) {
    if (!m_model.isOpen() || m_judging.isRunning()) return;
    if (m_model.document().levels.empty()) {
        m_messages.say(tr("There is no level to judge yet: keep a result as a level first."));
        return;
    }
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

// The preview first: it is what one looks at.
void AssetDesk::queueMeasuring() {
    std::vector<Unmeasured> waiting;
    const auto add = [&](const Level& level) {
        if (!level.evidence || !level.outline) waiting.push_back({level.mesh, level.evidence});
    };
    if (m_preview) add(*m_preview);
    for (const Level& level : m_model.document().levels) add(level);
    m_measuring->set(m_model.document().source, std::move(waiting));
}

// A new viewer stands where the asset is still of a good size, but no longer large.
void AssetDesk::placeFirstViewer() {
    const Document& document = m_model.document();
    const double largest = m_assetSize.maxCoeff();
    followViewer(document.viewerDistance > 0 ? document.viewerDistance
                                             : document.screen.distance(largest, 0.9 * AsSeenInset::pictureSize));
}

void AssetDesk::followViewer(double metres) {
    if (metres <= 0 || !m_model.isOpen()) return;
    m_model.placeViewer(metres);
    m_sightline->setViewer(metres);
    const Screen& screen = m_model.document().screen;
    m_view->setViewer(
        screen, metres, m_model.document().source->metresPerUnit,
        {screen.pixels(std::max(m_assetSize.x(), m_assetSize.z()), metres), m_sightline->pixelsAt(metres)});
    watchOutlines();
    refreshCosts();
}

void AssetDesk::refreshCosts() {
    const Document& document = m_model.document();
    if (!document.source) return;
    const double metres = document.source->metresPerUnit;
    // Nearer than that the player sees only a part of it.
    const double most = 4000 * metres / std::max(1e-30, m_assetSize.norm());
    const double scale = document.viewerDistance > 0 ? document.screen.pixels(metres, document.viewerDistance) : 0;
    m_pixelsPerUnit = std::min(scale, most);
    m_costs->watch(shownMesh(), m_view->tint(), m_pixelsPerUnit);
    refreshFindings();
}

void AssetDesk::watchOutlines() {
    const Level* level = shownLevel();
    m_outlineWatch->watch(m_model.document().source, level != nullptr ? level->mesh : nullptr,
                          m_sightline->pixelsAt(m_model.document().viewerDistance));
    m_outline->setVisible(level != nullptr);
}

void AssetDesk::cancelEverything() {
    m_reducing.cancel();
    m_chainWork->job().cancel();
    m_chainWork->readingJob().cancel();
    m_walk->stop();
    m_measuring->job().cancel();
    m_tour->stop();
    m_places->job().cancel();
    m_health->job().cancel();
    m_repairing.cancel();
    m_restating.cancel();
    m_sheetWork->cancel();
    m_judging.cancel();
    m_export->job().cancel();
}

void AssetDesk::openExport(int level) {
    if (!m_model.isOpen()) return;
    m_findings->hide();
    m_chainCard->hide();
    m_export->open(m_model.document(), level);
}

}  // namespace um::app
