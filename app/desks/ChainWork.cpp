#include "app/desks/ChainWork.h"

#include "document/Edits.h"
#include "files/MeshFile.h"

namespace um::app {
namespace {

QString joined(const std::vector<std::string>& sentences) {
    QStringList list;
    for (const std::string& sentence : sentences) list += QString::fromStdString(sentence);
    return list.join(' ');
}

}  // namespace

ChainWork::ChainWork(DocumentModel& model, QObject* parent) : QObject(parent), m_model(model) {}

void ChainWork::make(const Recipe& recipe) {
    if (!m_model.isOpen() || m_making.isRunning()) return;
    const Document wanted = withSettingsOf(m_model.document(), recipe);
    Recipe own = recipe;
    own.care = wanted.care;
    run(wanted, own, {}, tr("Make the chain"));
}

void ChainWork::remakeStale() {
    if (!m_model.isOpen() || m_making.isRunning()) return;
    const Document& document = m_model.document();
    const std::vector<bool> stale = staleLevels(document);
    std::vector<std::shared_ptr<Level>> ready;
    for (std::size_t i = 0; i < stale.size(); ++i)
        ready.push_back(stale[i] ? nullptr : std::make_shared<Level>(document.levels[i]));
    if (std::find(stale.begin(), stale.end(), true) == stale.end()) return;
    run(document, recipeOf(document), ready, tr("Make stale levels anew"));
}

void ChainWork::run(const Document& wanted, const Recipe& recipe, std::vector<std::shared_ptr<Level>> ready,
                    const QString& what) {
    m_making.start([this, wanted, recipe, ready, what](const Progress& progress) -> Job::Delivery {
        std::vector<const Level*> kept;
        for (const auto& level : ready) kept.push_back(level.get());
        auto chain = std::make_shared<Chain>(makeChain({*wanted.source, wanted.sourceHash}, recipe, kept, progress));
        // A level that is only made anew keeps its name.
        for (std::size_t i = 0; i < chain->levels.size() && !ready.empty(); ++i)
            chain->levels[i].name = wanted.levels[i].name;
        return [this, wanted, chain, ready, what] {
            const Document& now = m_model.document();
            if (now.source != wanted.source) return;  // another document was opened meanwhile
            Document next = ready.empty() ? wanted : now;
            if (!ready.empty() && now.levels.size() != chain->levels.size()) {
                emit said(tr("Levels came or went meanwhile; make the stale ones anew once more."));
                return;
            }
            m_model.change(what, withChain(std::move(next), chain->levels));
            emit made();
            const QString text = joined(chain->notes);
            if (!text.isEmpty()) emit said(text);
        };
    });
}

void ChainWork::takeHandmade(int level, const QString& path) {
    if (!m_model.isOpen() || m_reading.isRunning()) return;
    const auto source = m_model.document().source;
    m_reading.start([this, source, level, path](const Progress& progress) -> Job::Delivery {
        MeshFile file = readMesh(path.toStdString(), progress);
        if (file.mesh.unitStated)
            convertUnit(file.mesh, source->metresPerUnit);
        else
            file.mesh.metresPerUnit = source->metresPerUnit;
        auto mesh = std::make_shared<const Mesh>(std::move(file.mesh));
        return [this, source, level, path, mesh, notes = file.notes] {
            if (source != m_model.document().source) return;
            const auto place = level < 0 ? m_model.document().levels.size() : std::size_t(level);
            m_model.change(tr("Take in a level"), withHandmadeLevel(m_model.document(), place, mesh));
            if (!notes.empty()) emit said(joined(notes));
        };
    });
}

}  // namespace um::app
