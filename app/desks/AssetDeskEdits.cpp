// The part of the Asset desk that has to do with what the user says of source and levels: what is up, the unit, names,
// which are no longer wanted.
#include "app/desks/AssetDesk.h"
#include "app/viewport/ViewArea.h"
#include "document/Edits.h"

namespace um::app {

// Beside the window: millions of vertices take a while.
// @param then  once the document is changed
void AssetDesk::restateSource(const QString& what, const std::function<Document(Document)>& change,
                              const std::function<void()>& then) {
    m_restating.start([this, what, change, then, before = m_model.document(),
                       state = m_model.undoStack().index()](const Progress& progress) -> Job::Delivery {
        auto next = std::make_shared<Document>(change(before));
        std::vector<Drawable> drawables = {makeDrawable(next->source, progress.span(0.2, 0.8))};
        for (const Level& level : next->levels) drawables.push_back(makeDrawable(level.mesh, progress.span(0.8, 1)));
        return [this, what, change, then, state, next, drawables, source = before.source] {
            if (source != m_model.document().source) return;
            if (state != m_model.undoStack().index()) {
                restateSource(what, change, then);  // something else was changed meanwhile, and stays so
                return;
            }
            m_drawables->keep(next->source, drawables.front());
            for (std::size_t i = 0; i < next->levels.size(); ++i)
                m_drawables->keep(next->levels[i].mesh, drawables[i + 1]);
            m_model.change(what, std::move(*next));
            then();
        };
    });
}

void AssetDesk::setUp(UpAxis up) {
    restateSource(
        tr("Up"), [up](Document document) { return withUp(std::move(document), up); },
        [this] { m_view->viewport().frameAll(); });
}

void AssetDesk::setUnit(double metres) {
    restateSource(
        tr("Unit"), [metres](Document document) { return withUnit(std::move(document), metres); }, [] {});
}

void AssetDesk::renameLevel(int level, const QString& name) {
    if (name.isEmpty()) return;
    m_model.change(tr("Rename level"), withRenamedLevel(m_model.document(), std::size_t(level), name.toStdString()));
}

void AssetDesk::removeLevel(int level) {
    m_shown = {};
    m_model.change(tr("Remove level"), withoutLevel(m_model.document(), std::size_t(level)));
}

}  // namespace um::app
