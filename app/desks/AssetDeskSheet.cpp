// The part of the Asset desk that has to do with sheets: which one is seen, what is pointed at on it and on the model,
// and the bakes that are started from it.
#include "app/desks/AssetDesk.h"
#include "app/desks/Places.h"
#include "app/panels/MessageBar.h"
#include "app/panels/Widgets.h"
#include "app/sheet/BakePage.h"
#include "app/sheet/CageBrush.h"
#include "app/sheet/MergePage.h"
#include "app/sheet/SheetPanel.h"
#include "app/sheet/SheetPicture.h"
#include "app/sheet/SheetWork.h"
#include "app/sightline/SightlineStrip.h"
#include "app/viewport/ViewArea.h"
#include "base/Error.h"
#include "document/Edits.h"

namespace um::app {

void AssetDesk::connectSheet() {
    connect(m_view, &ViewArea::sheetWanted, this, &AssetDesk::openSheet);
    connect(m_sheetPanel, &SheetPanel::closed, m_view, &ViewArea::toggleSheet);
    connect(m_sheetPanel, &SheetPanel::bakeWanted, this, &AssetDesk::bakeShown);
    connect(m_sheetPanel, &SheetPanel::missWanted, this, &AssetDesk::goToMiss);
    connectMerging();
    connectCage();
    connect(m_sheetPanel, &SheetPanel::choiceChanged, this, [this](const BakeChoice& choice) {
        Document next = m_model.document();
        next.bake = choice;
        m_model.change(tr("How to bake"), std::move(next));
    });
    const auto showMaterials = [this] {
        const bool checker = m_sheetIsOpen && m_sheetPanel->value() == SheetValue::Checker;
        const auto content = m_sheetPanel->content();
        const bool misses = m_sheetIsOpen && m_sheetPanel->value() == SheetValue::Misses && content;
        m_view->setMaterialLook(m_sheetIsOpen ? m_sheetPanel->without() : 0, checker,
                                misses ? content->misses : nullptr);
    };
    connect(m_sheetPanel, &SheetPanel::withoutChanged, this, showMaterials);
    connect(m_sheetPanel, &SheetPanel::contentWanted, this, [this, showMaterials] {
        showMaterials();
        const auto mesh = shownMesh();
        m_miss = 0;
        if (!m_sheetIsOpen || !mesh) return;
        const Level* level = shownLevel();
        m_sheetWork->makeReady(
            mesh, m_sheetPanel->material(), m_sheetPanel->value(),
            level != nullptr && level->bake ? level->bake->misses : std::vector<std::shared_ptr<const std::string>>());
    });
    connect(m_sheetWork, &SheetWork::contentReady, this, [this, showMaterials](const auto& content) {
        if (content->mesh != shownMesh()) return;
        m_sheetPanel->setContent(content);
        showMaterials();
    });
    connect(m_sheetWork, &SheetWork::filledIn, this, [this](const auto& mesh, const QImage& image) {
        if (mesh == shownMesh()) m_sheetPanel->showUnfinished(image);
    });
    connect(&m_sheetWork->bakingJob(), &Job::ended, this, [this] {
        // What was filling in gives way to what there is.
        if (m_sheetIsOpen && !m_sheetWork->readingJob().isRunning()) m_sheetPanel->setContent(m_sheetPanel->content());
    });
    connect(m_sheetWork, &SheetWork::said, &m_messages, &MessageBar::say);
    connect(m_sheetPanel, &SheetPanel::chartPointedAt, this, [this](const std::vector<SheetContent::Side>& rim) {
        std::vector<ViewArea::ChartSide> sides;
        for (const SheetContent::Side& side : rim) sides.push_back({side.from, side.to, side.normal});
        m_view->setChart(std::move(sides));
    });
    connect(m_sheetPanel, &SheetPanel::placeChosen, this, [this](const Vec3d& place) {
        if (const auto mesh = shownMesh()) m_places->goTo(mesh, place);
    });
    connect(&m_view->viewport(), &Viewport::clicked, this, [this](const QPointF& place) {
        if (!m_sheetIsOpen || !m_model.isOpen() || m_view->viewport().isOtherAt(place)) return;
        const auto ray = m_view->viewport().rayThrough(place);
        m_sheetWork->lookUp(shownMesh(), ray.from, ray.direction);
    });
    connect(m_sheetWork, &SheetWork::met, this, [this](const auto& mesh, TriangleId triangle, const Vec3d& place) {
        if (mesh == shownMesh()) m_sheetPanel->pointAt(triangle, place);
    });
}

void AssetDesk::connectCage() {
    m_cageBrush = new CageBrush(*m_view);
    connect(m_sheetPanel, &SheetPanel::cageWanted, this, &AssetDesk::refreshCage);
    connect(m_cageBrush, &CageBrush::pushed, this, &AssetDesk::refreshCage);
    connect(m_cageBrush, &CageBrush::ended, this, [this](const std::vector<CagePush>& stroke) {
        Document next = m_model.document();
        next.bake.pushes.insert(next.bake.pushes.end(), stroke.begin(), stroke.end());
        m_model.change(tr("Push the cage"), std::move(next));
    });
    connect(m_sheetWork, &SheetWork::cageReady, this, [this](const auto& level, const Drawable& cage) {
        if (level == shownMesh() && m_sheetIsOpen && m_sheetPanel->bakePage().showsCage())
            m_view->viewport().setCage(cage);
    });
}

// The cage of the level that is shown, with what is just being pushed.
void AssetDesk::refreshCage() {
    const BakePage& page = m_sheetPanel->bakePage();
    const auto mesh = shownMesh();
    const bool isSeen = m_sheetIsOpen && page.showsCage() && mesh && mesh != m_model.document().source;
    m_cageBrush->setMesh(isSeen && page.brushes() ? mesh : nullptr);
    if (!isSeen) {
        m_view->viewport().setCage({});
        m_sheetWork->cageJob().cancel();
        return;
    }
    const Document& document = m_model.document();
    try {
        CageSettings settings = settingsFor(document.bake, *document.source, document.screen).cage;
        settings.pushes.insert(settings.pushes.end(), m_cageBrush->stroke().begin(), m_cageBrush->stroke().end());
        m_sheetWork->makeCage(mesh, settings);
    } catch (const InputError& error) {
        m_messages.say(QString::fromUtf8(error.what()));
    }
}

void AssetDesk::connectMerging() {
    MergePage& page = m_sheetPanel->mergePage();
    connect(m_sheetPanel, &SheetPanel::forecastWanted, this, [this, &page] {
        if (const auto mesh = shownMesh()) m_sheetWork->forecast(mesh, page.settings(), !page.hasFacts());
    });
    connect(m_sheetPanel, &SheetPanel::mergeChoiceChanged, this, [this](const MergeChoice& choice) {
        Document next = m_model.document();
        next.merge = choice;
        m_model.change(tr("How to merge"), std::move(next));
    });
    connect(m_sheetPanel, &SheetPanel::mergeWanted, this, [this, &page] {
        if (const auto mesh = shownMesh()) m_sheetWork->merge(mesh, page.settings());
    });
    connect(m_sheetWork, &SheetWork::factsKnown, this, [this, &page](const auto& mesh, const MaterialFacts& facts) {
        if (mesh == shownMesh()) page.setFacts(facts);
    });
    connect(m_sheetWork, &SheetWork::forecastKnown, this,
            [this, &page](const auto& mesh, const MergeForecast& forecast) {
                if (mesh == shownMesh()) page.setForecast(forecast);
            });
    connect(m_sheetWork, &SheetWork::forecastFailed, this, [this, &page](const auto& mesh, const QString& sentence) {
        if (mesh == shownMesh()) page.setProblem(sentence);
    });
    connect(m_sheetWork, &SheetWork::merged, this, &AssetDesk::takeMerged);
}

// A level's materials are merged in its place; the source's come up as a preview, to be kept as a level or to become
// the source of all of them.
void AssetDesk::takeMerged(const std::shared_ptr<const Mesh>& before, const std::shared_ptr<const Mesh>& after,
                           const QStringList& notes) {
    if (before == m_model.document().source) {
        Level level = makeLevel(tr("Merged").toStdString(), "100 %", after);
        level.isLocked = true;
        showPreview(std::move(level));
    } else if (m_preview && before == m_preview->mesh) {
        m_preview->mesh = after;
        m_preview->isLocked = true;
        refresh();
    } else if (auto next = withMergedLevel(m_model.document(), before, after)) {
        m_model.change(tr("Merge materials"), std::move(*next));
    } else {
        return;  // undone or removed meanwhile
    }
    m_sheetPanel->openPage(SheetPanel::Page::Seen);
    m_sheetPanel->showMerged(after, materialCostOf(*before), materialCostOf(*after));
    if (!notes.isEmpty()) m_messages.say(notes.join(' '));
}

void AssetDesk::openSheet(bool open) {
    m_sheetIsOpen = open;
    m_view->setChart({});
    refresh();
    emit m_sheetPanel->contentWanted();
}

void AssetDesk::refreshSheet() {
    refreshCage();
    const bool isKept = m_shown.level >= 0 && shownLevel() != nullptr;
    m_sheetPanel->show(nameOf(m_shown), shownMesh(), shownLevel(), isKept, m_model.document().bake,
                       m_model.document().merge);
}

void AssetDesk::bakeShown() {
    if (!m_model.isOpen()) return;
    if (m_shown.level < 0) {
        m_messages.say(m_preview && m_shown.level == Shown::preview
                           ? tr("Keep the preview as a level first; then it can be baked.")
                           : tr("Choose a level first: it is baked from the source."));
        return;
    }
    m_sheetWork->bake(std::size_t(m_shown.level));
}

void AssetDesk::goToMiss() {
    const Level* level = shownLevel();
    const auto content = m_sheetPanel->content();
    if (level == nullptr || !level->bake || !content || content->mesh != level->mesh) return;
    if (m_sheetPanel->value() != SheetValue::Misses) m_sheetPanel->chooseValue(SheetValue::Misses);
    const Mesh& mesh = *level->mesh;
    // What is left of the sheet that is seen, then the others, then that one again.
    const std::size_t sheets = level->bake->misses.size(), seen = sheetOf(mesh, m_sheetPanel->material());
    for (std::size_t i = 0; i <= sheets && sheets > 0; ++i) {
        const std::size_t sheet = (seen + i) % sheets;
        std::vector<std::uint8_t> isOnSheet(mesh.triangleCount());
        for (const Section& section : mesh.sections)
            if (sheetOf(mesh, section.material) == sheet)
                std::fill_n(isOnSheet.begin() + long(section.firstTriangle), section.triangleCount, std::uint8_t(1));
        const std::vector<QPointF> places = placesOfMisses(*level->bake->misses[sheet]);
        for (std::size_t next = i > 0 ? 0 : m_miss; next < places.size(); ++next) {
            const QPointF place = places[next];
            const auto triangle =
                content->grid.triangleAt({place.x(), 1 - place.y()}, [&](TriangleId t) { return isOnSheet[t] != 0; });
            if (!triangle) continue;
            if (sheet != seen) m_sheetPanel->showSheetOf(*triangle);
            m_miss = next + 1;
            m_places->goTo(level->mesh, content->placeOnSurface(*triangle, place));
            m_sheetPanel->picture().setMark(place);
            return;
        }
    }
}

}  // namespace um::app
