// The part of the Asset desk that has to do with its chain: what is chosen in the card, the list and the Sightline
// becomes a change of the document or a computation, and the level that is looked at follows the viewer.
#include "app/desks/AssetDesk.h"
#include "app/desks/ChainWatch.h"
#include "app/desks/ChainWork.h"
#include "app/desks/MeasureQueue.h"
#include "app/panels/BudgetPanel.h"
#include "app/panels/ChainCard.h"
#include "app/panels/ExportCard.h"
#include "app/panels/FileChoice.h"
#include "app/panels/FindingsCard.h"
#include "app/panels/MessageBar.h"
#include "app/panels/Widgets.h"
#include "app/sightline/SightlineStrip.h"
#include "app/sightline/Walk.h"
#include "app/viewport/ViewArea.h"
#include "base/Error.h"
#include "chain/Plan.h"
#include "document/Edits.h"

namespace um::app {
namespace {

FileKind recipeFiles() {
    return {AssetDesk::tr("Recipes"), {"json"}};
}

}  // namespace

void AssetDesk::connectChain() {
    const auto change = [this](const QString& what, Document next) { m_model.change(what, std::move(next)); };
    connect(m_levels, &LevelsPanel::moved, this, [this, change](int from, int to) {
        if (m_shown.level == from) m_shown.level = to;
        change(tr("Move level"), withMovedLevel(m_model.document(), std::size_t(from), std::size_t(to)));
    });
    connect(m_levels, &LevelsPanel::lockWanted, this, [this, change](int level, bool locked) {
        change(locked ? tr("Lock level") : tr("Unlock level"),
               withLevelLocked(m_model.document(), std::size_t(level), locked));
    });
    const auto changeRecipe = [this, change](int level, const LevelRecipe& recipe) {
        change(tr("Change level"), withLevelRecipe(m_model.document(), std::size_t(level), recipe));
    };
    connect(m_levels, &LevelsPanel::recipeChanged, this, changeRecipe);
    connect(m_levels, &LevelsPanel::fileWanted, this, &AssetDesk::chooseHandmade);
    connect(m_levels, &LevelsPanel::chainWanted, this, &AssetDesk::openChain);
    connect(m_chainCard, &ChainCard::levelChanged, this, changeRecipe);
    connect(m_chainCard, &ChainCard::switchingChanged, this, [this, change](const Switching& switching) {
        Document next = m_model.document();
        next.switching = switching;
        change(tr("Switching"), std::move(next));
    });
    connect(m_chainCard, &ChainCard::budgetChanged, this, [this, change](const Budget& budget) {
        Document next = m_model.document();
        next.budget = budget;
        change(tr("Budget"), std::move(next));
    });
    connect(m_chainCard, &ChainCard::makeWanted, this, [this](const Recipe& recipe) {
        m_measuring->pause();
        m_chainWork->make(recipe);
    });
    connect(m_chainCard, &ChainCard::remakeWanted, m_chainWork, &ChainWork::remakeStale);
    connect(m_chainCard, &ChainCard::saveRecipeWanted, this, [this] {
        const QString path =
            chooseToWrite(this, tr("Save recipe"), tr("%1 recipe").arg(QString::fromStdString(m_model.document().name)),
                          {recipeFiles()});
        if (!path.isEmpty()) writeRecipeTo(path);
    });
    connect(m_chainCard, &ChainCard::readRecipeWanted, this, [this] {
        const QString path = chooseToOpen(this, tr("Make by a recipe"), recipeFiles());
        if (!path.isEmpty()) readRecipeFrom(path);
    });
    connect(m_chainWork, &ChainWork::said, &m_messages, &MessageBar::say);
    connect(m_chainWork, &ChainWork::made, this, [this] { show({0}); });
    connect(&m_chainWork->job(), &Job::ended, m_measuring, &MeasureQueue::resume);
    connect(m_chainWatch, &ChainWatch::changed, this, &AssetDesk::refreshChain);
    const auto openBudget = [this] {
        openChain();
        m_chainCard->open(ChainCard::Page::Budget);
    };
    connect(m_budget, &BudgetPanel::chosen, this, openBudget);
    connect(m_findings, &FindingsCard::budgetWanted, this, openBudget);
    connect(m_sightline, &SightlineStrip::jointMoved, this, [this, change](int level, double metres) {
        change(tr("Switch distance"),
               withSwitchDistance(m_model.document(), std::size_t(level), metres, m_chainWatch->chain().band));
    });
    connect(m_sightline, &SightlineStrip::goneMoved, this, [this, change](double pixels) {
        Document next = m_model.document();
        next.switching.gonePixels = pixels;
        change(tr("End of drawing"), std::move(next));
    });
    connect(m_sightline, &SightlineStrip::levelChosen, this, [this](int level) { show({level}); });
    connect(m_sightline, &SightlineStrip::problem, &m_messages, &MessageBar::say);
    connect(m_sightline, &SightlineStrip::playWanted, this, &AssetDesk::toggleWalk);
    connect(m_walk, &Walk::walkingChanged, m_sightline, &SightlineStrip::setPlaying);
    connect(m_walk, &Walk::moved, this, [this](double metres) {
        followViewer(metres);
        followLevel(metres, true);
    });
}

void AssetDesk::toggleWalk() {
    if (m_walk->isWalking()) {
        m_walk->stop();
        return;
    }
    m_sightline->setPlaying(false);
    if (m_chainWatch->chain().levels.empty()) return;
    m_drawn = Band::nothing;
    m_walk->start(m_sightline->nearest(), m_sightline->farthest());
}

void AssetDesk::refreshChain() {
    m_sightline->setChain(m_chainWatch->chain());
    followLevel(m_model.document().viewerDistance, false);
    const Document& document = m_model.document();
    m_budget->show(holdAgainst(document.budget, document.levels));
    refreshFindings();
    const SightlineChain& chain = m_chainWatch->chain();
    std::vector<std::string> names;
    std::vector<std::size_t> triangles;
    std::vector<LevelCost> costs;
    for (const SightlineLevel& level : chain.levels) {
        names.push_back(level.name.toStdString());
        triangles.push_back(level.triangles);
        costs.push_back(level.cost);
    }
    std::vector<std::string> advice;
    for (const BudgetLine& line : m_budget->lines())
        if (line.isOver()) advice.push_back("Over budget: " + sentenceOf(line) + ".");
    if (document.source && !costs.empty())
        for (std::string& sentence : adviceOn(names, triangles, costs, chain.band, chain.size,
                                              document.source->triangleCount(), document.screen, document.switching))
            advice.push_back(std::move(sentence));
    m_chainCard->show(document, staleLevels(document), advice);
}

void AssetDesk::followLevel(double metres, bool comesAlong) {
    const SightlineChain& chain = m_chainWatch->chain();
    const int before = m_drawn;
    if (!(metres > 0) || chain.levels.empty())
        m_drawn = Band::nothing;
    else if (comesAlong || m_drawn >= 0)
        m_drawn = chain.band.following(m_drawn, metres, chain.switching.hysteresis);
    else
        m_drawn = chain.band.at(metres);
    m_sightline->setDrawn(m_drawn);
    m_view->setGone(!chain.levels.empty() && m_drawn == Band::nothing);
    const double faded = m_drawn >= 0 ? chain.band.fade(std::size_t(m_drawn), metres, chain.switching.crossFade) : 0;
    const bool fadesOther = (faded > 0) != (m_faded > 0);
    m_faded = faded;
    m_view->setFade(m_drawn >= 0 && m_drawn == m_shown.level ? faded : 0);
    // A level that is looked at gives way to the next one; the source and a preview stay.
    const bool follows = comesAlong && (m_shown.level >= 0 || m_walk->isWalking());
    if (follows && m_drawn >= 0 && m_drawn != m_shown.level)
        show({m_drawn});
    else if (fadesOther || (before != m_drawn && m_faded > 0))
        refreshPicture();
}

void AssetDesk::chooseHandmade(int level) {
    const QString path = chooseToOpen(this, tr("A level made by hand"), readableMeshes());
    if (!path.isEmpty()) m_chainWork->takeHandmade(level, path);
}

void AssetDesk::readRecipeFrom(const QString& path) {
    try {
        m_measuring->pause();
        m_chainWork->make(readRecipe(path.toStdString()));
    } catch (const Error& error) {
        m_measuring->resume();
        m_messages.say(QString::fromUtf8(error.what()));
    }
}

void AssetDesk::writeRecipeTo(const QString& path) {
    try {
        writeRecipe(recipeOf(m_model.document()), path.toStdString());
        m_messages.say(tr("The recipe is in %1.").arg(path));
    } catch (const Error& error) {
        m_messages.say(QString::fromUtf8(error.what()));
    }
}

void AssetDesk::openChain() {
    if (!m_model.isOpen()) return;
    m_export->hide();
    m_findings->hide();
    refreshChain();
    m_chainCard->open(m_model.document().levels.empty() ? ChainCard::Page::Make : m_chainCard->page());
}

}  // namespace um::app
