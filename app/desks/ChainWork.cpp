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
    const Document& document = m_model.document();
    const Document wanted = withSettingsOf(document, recipe);
    Recipe own = recipe;
    own.care = wanted.care;
    const bool hasOtherSettings = recipeOf(wanted) != recipeOf(document);
    run(own, {}, [own, hasOtherSettings](Document now, std::vector<Level> levels) {
        if (hasOtherSettings) now = withSettingsOf(std::move(now), own);
        return withChain(std::move(now), std::move(levels));
    });
}

void ChainWork::remakeStale() {
    if (!m_model.isOpen() || m_making.isRunning()) return;
    const Document& document = m_model.document();
    const std::vector<bool> stale = staleLevels(document);
    std::vector<std::shared_ptr<Level>> ready;
    for (std::size_t i = 0; i < stale.size(); ++i)
        ready.push_back(stale[i] ? nullptr : std::make_shared<Level>(document.levels[i]));
    if (std::find(stale.begin(), stale.end(), true) == stale.end()) return;
    run(recipeOf(document), ready, [before = document.levels](Document now, const std::vector<Level>& levels) {
        return withRemadeLevels(std::move(now), before, levels);
    });
}

// While levels are made the document may be changed, and keeps what was changed.
void ChainWork::run(const Recipe& recipe, std::vector<std::shared_ptr<Level>> ready, PutIn putIn) {
    const QString what = ready.empty() ? tr("Make the chain") : tr("Make stale levels anew");
    const auto source = m_model.document().source;
    m_making.start([this, source, hash = sourceMark(m_model.document()), recipe, ready, putIn = std::move(putIn),
                    what](const Progress& progress) -> Job::Delivery {
        std::vector<const Level*> kept;
        for (const auto& level : ready) kept.push_back(level.get());
        auto chain = std::make_shared<Chain>(makeChain({*source, hash}, recipe, kept, progress));
        return [this, source, chain, putIn, what] {
            if (m_model.document().source != source) return;  // another was put in its place, or opened
            m_model.change(what, putIn(m_model.document(), chain->levels));
            emit made();
            const QString text = joined(chain->notes);
            if (!text.isEmpty()) emit said(text);
        };
    });
}

void ChainWork::takeHandmade(int level, const QString& path) {
    if (!m_model.isOpen() || m_reading.isRunning()) return;
    const auto source = m_model.document().source;
    // Made for the same file, it stands as that does.
    const bool standsOnZ = m_model.document().sourceUp == UpAxis::Z && !saysWhatIsUp(path.toStdString());
    m_reading.start([this, source, level, path, standsOnZ](const Progress& progress) -> Job::Delivery {
        MeshFile file = readMesh(path.toStdString(), progress);
        if (file.mesh.unitStated)
            convertUnit(file.mesh, source->metresPerUnit);
        else
            file.mesh.metresPerUnit = source->metresPerUnit;
        if (standsOnZ) standUpAlongY(file.mesh);
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
