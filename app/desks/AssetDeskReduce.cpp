// The part of the Asset desk that has to do with reducing: how, with which guards, and what is done with what came of
// it.
#include "app/desks/AssetDesk.h"
#include "app/desks/MeasureQueue.h"
#include "app/panels/MessageBar.h"
#include "app/panels/PartsPanel.h"
#include "app/panels/ProtectPanel.h"
#include "app/panels/TargetPanel.h"
#include "app/panels/Widgets.h"
#include "base/Error.h"
#include "base/File.h"
#include "chain/ReduceToTarget.h"
#include "document/Edits.h"

#include <QHBoxLayout>
#include <QPushButton>

namespace um::app {

void AssetDesk::connectReducing() {
    connect(m_target, &TargetPanel::reduceWanted, this, &AssetDesk::reduce);
    connect(m_target, &TargetPanel::thoroughChosen, this, [this](bool isThorough) {
        Care care = m_model.document().care;
        care.isThorough = isThorough;
        changeCare(tr("Thorough"), care);
    });
    connect(m_protect, &ProtectPanel::changed, this, &AssetDesk::changeCare);
    connect(m_parts, &PartsPanel::guardChosen, this, &AssetDesk::guardPart);
}

void AssetDesk::reduce(const QString& typed, const Target& target) {
    if (!m_model.isOpen() || m_reducing.isRunning()) return;
    m_measuring->pause();
    const auto source = m_model.document().source;
    const Screen screen = m_model.document().screen;
    const Care& care = m_model.document().care;
    const ReduceSettings settings = settingsFor(care, *source, screen);
    LevelRecipe recipe;
    recipe.target = typed.toStdString();
    const std::string made = howMade({*source, sourceMark(m_model.document())}, care, screen, {}, recipe, {}, 0);
    m_reducing.start([this, typed, made, target, source, screen, settings,
                      isThorough = care.isThorough](const Progress& progress) -> Job::Delivery {
        auto result = std::make_shared<TargetResult>(
            reduceToTarget(*source, target, screen, settings, isThorough, progress.span(0, 0.95)));
        auto mesh = std::make_shared<const Mesh>(std::move(result->mesh));
        std::shared_ptr<const Deviation> evidence;
        if (result->deviation) evidence = std::make_shared<const Deviation>(std::move(*result->deviation));
        const Drawable drawable = makeDrawable(mesh, progress.span(0.95, 1));
        return [this, typed, made, mesh, evidence, drawable, source, met = result->targetMet, notes = result->notes] {
            if (source != m_model.document().source) return;  // another document was opened meanwhile
            m_drawables->keep(mesh, drawable);
            Level level;
            level.name = tr("Preview").toStdString();
            level.recipe.target = typed.toStdString();
            level.mesh = mesh;
            level.targetMet = met;
            level.evidence = evidence;
            level.made = made;
            showPreview(std::move(level));
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
    const std::string& name = m_model.document().source->parts[std::size_t(part)].name;
    m_model.change(tr("Guard %1").arg(QString::fromStdString(name)), withPartGuard(m_model.document(), name, value));
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

QWidget* AssetDesk::makeDecision() {
    m_keep->setObjectName("primary");
    m_keep->setToolTip(tr("Keeps the result as a level beside the source"));
    m_replace->setToolTip(tr("Puts the result in the source's place; undo brings the source back"));
    m_discard->setToolTip(tr("Drops the result; the source and the kept levels stay"));
    for (QPushButton* button : {m_keep, m_replace, m_discard}) button->setStyleSheet("padding: 7px 8px");
    auto* buttons = new QHBoxLayout(m_decision);
    buttons->setContentsMargins(16, 0, 16, 12);
    buttons->setSpacing(6);
    buttons->addWidget(m_keep, 1);
    buttons->addWidget(m_replace);
    buttons->addWidget(m_discard);
    m_decision->setObjectName("panel");
    m_decision->setAttribute(Qt::WA_StyledBackground);
    return m_decision;
}

void AssetDesk::showPreview(Level level) {
    m_preview = std::move(level);
    m_previewOf = m_model.document().source;
    show({Shown::preview});
}

void AssetDesk::keepPreview() {
    if (!m_preview) return;
    Document next = withLevel(m_model.document(), *m_preview);
    m_preview.reset();
    m_shown = {int(next.levels.size()) - 1};
    const QString name = QString::fromStdString(next.levels.back().name);
    m_model.change(tr("Keep %1").arg(name), std::move(next));
}

void AssetDesk::replaceSource() {
    if (!m_preview) return;
    m_model.change(tr("Replace source"), withSource(m_model.document(), m_preview->mesh));
}

void AssetDesk::discardPreview() {
    if (!m_preview) return;
    m_preview.reset();
    if (m_shown.level == Shown::preview) m_shown = {};
    refresh();
}

}  // namespace um::app
