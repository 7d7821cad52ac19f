// The part of the Asset desk that has to do with findings and places: what is wrong with the mesh shown, its repair,
// and how far off it is where one points.
#include "app/desks/AssetDesk.h"
#include "app/desks/HealthWatch.h"
#include "app/desks/Places.h"
#include "app/panels/BudgetPanel.h"
#include "app/panels/ChainCard.h"
#include "app/panels/ExportCard.h"
#include "app/panels/FindingsCard.h"
#include "app/panels/MessageBar.h"
#include "app/panels/Widgets.h"
#include "app/viewport/ViewArea.h"
#include "document/Edits.h"

namespace um::app {

void AssetDesk::openFindings() {
    if (!m_model.isOpen()) return;
    m_export->hide();
    m_chainCard->hide();
    refreshFindings();
    m_findings->setVisible(!m_findings->isVisible());
    m_findings->raise();
    if (!m_findings->isVisible()) m_view->setMark(std::nullopt);
}

void AssetDesk::refreshFindings() {
    const auto mesh = shownMesh();
    if (!mesh) {
        m_findings->hide();
        emit findingsChanged(-1);
        return;
    }
    const Level* level = shownLevel();
    auto findings = m_health->of(mesh);
    // A level is made to be seen from afar, where its textures may be finer than any pixel.
    if (findings && level != nullptr) {
        auto all = std::make_shared<std::vector<Finding>>(*findings);
        const auto add = [&](const std::vector<Finding>& more) { all->insert(all->end(), more.begin(), more.end()); };
        if (m_pixelsPerUnit > 0) add(findLargeTextures(*mesh, m_health->texelsOf(mesh), m_pixelsPerUnit));
        if (level->bake) add(findHogs(level->bake->parts));
        findings = std::move(all);
    }
    std::vector<BudgetLine> exceeded;
    std::copy_if(m_budget->lines().begin(), m_budget->lines().end(), std::back_inserter(exceeded),
                 [](const BudgetLine& line) { return line.isOver(); });
    m_findings->show(nameOf(m_shown), mesh, findings, exceeded);
    emit findingsChanged(findings ? int(findings->size() + exceeded.size()) : -1);
}

void AssetDesk::goToWorst(int step) {
    if (const Level* level = shownLevel(); level != nullptr && level->evidence)
        m_places->goToWorst(*level->evidence, *level->mesh, step);
}

void AssetDesk::probeAt(const QPointF& place) {
    m_view->setFinding(std::nullopt);
    if (!m_model.isOpen()) return;
    const bool onOther = m_view->viewport().isOtherAt(place);
    // Of a pair, the level is measured against its source, and the source against the level beside it.
    const std::vector<Shown> others = everythingButShown();
    const bool otherIsThere = std::find(others.begin(), others.end(), m_other) != others.end();
    const Shown clicked = onOther ? (otherIsThere ? m_other : others.front()) : m_shown;
    const bool isSource = levelOf(clicked) == nullptr;
    const Shown against = !isSource ? Shown{} : onOther ? m_shown : otherIsThere ? m_other : m_shown;
    if (isSource && levelOf(against) == nullptr) return;
    m_places->probe(place, {meshOf(clicked), meshOf(against), isSource, onOther}, m_model.document().tolerance);
}

// The mesh shown without a fault: the source, or a level, as one step that can be undone.
void AssetDesk::repair(Fault fault, double size) {
    if (!m_model.isOpen() || m_repairing.isRunning()) return;
    const auto mesh = shownMesh();
    if (m_preview && mesh == m_preview->mesh) {
        m_messages.say(tr("Keep the preview as a level first; then it can be repaired."));
        return;
    }
    m_repairing.start([this, mesh, fault, size](const Progress& progress) -> Job::Delivery {
        auto repaired = std::make_shared<Mesh>(*mesh);
        const std::size_t count = repairFault(*repaired, fault, size, progress);
        return [this, mesh, repaired, count, fault] {
            if (count == 0) {
                m_messages.say(tr("None of them can be repaired without tearing or guessing; they stay."));
                return;
            }
            auto next = withMeshReplaced(m_model.document(), mesh, repaired);
            if (!next) return;  // undone or removed meanwhile
            const QString what = QString::fromStdString(repairOf(fault));
            m_view->setMark(std::nullopt);
            m_model.change(tr("%1 %2").arg(what).arg(count), std::move(*next));
            m_messages.say(tr("Repaired %1; undo brings them back.").arg(count));
        };
    });
}

}  // namespace um::app
