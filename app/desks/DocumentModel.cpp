#include "app/desks/DocumentModel.h"

#include <map>
#include <QUndoCommand>

namespace um::app {

/// One change: the document before and after. Copies share their meshes.
class DocumentChange : public QUndoCommand {
public:
    DocumentChange(DocumentModel& model, const QString& what, Document before, Document after)
        : QUndoCommand(what), m_model(model), m_before(std::move(before)), m_after(std::move(after)) {}

    void undo() override { m_model.put(m_before); }
    void redo() override { m_model.put(m_after); }

private:
    DocumentModel& m_model;
    Document m_before;
    Document m_after;
};

namespace {

bool sameState(const Document& a, const Document& b) {
    const auto sameLevel = [](const Level& x, const Level& y) {
        return x.name == y.name && x.recipe == y.recipe && x.mesh == y.mesh && x.isHandmade == y.isHandmade &&
               x.isLocked == y.isLocked && x.made == y.made && x.bake == y.bake;
    };
    return a.name == b.name && a.source == b.source && a.embedSource == b.embedSource &&
           a.embedLevels == b.embedLevels && a.tolerance == b.tolerance && a.care == b.care && a.screen == b.screen &&
           a.switching == b.switching && a.budget == b.budget && a.bake == b.bake && a.merge == b.merge &&
           a.levels.size() == b.levels.size() &&
           std::equal(a.levels.begin(), a.levels.end(), b.levels.begin(), sameLevel);
}

// A unit makes what is in the file larger or smaller: whoever looks at it still sees as much of it.
double unitRatio(const Document& before, const Document& after) {
    if (!before.source || !after.source || before.sourceHash != after.sourceHash) return 1;
    return after.source->metresPerUnit / before.source->metresPerUnit;
}

}  // namespace

DocumentModel::DocumentModel(QObject* parent) : QObject(parent) {
    connect(&m_undo, &QUndoStack::cleanChanged, this, &DocumentModel::editedChanged);
}

void DocumentModel::open(Document document, bool recovered) {
    m_undo.clear();
    m_document = std::move(document);
    m_recovered = recovered;
    emit opened();
    emit changed();
    emit editedChanged();
}

void DocumentModel::change(const QString& what, Document next) {
    if (sameState(m_document, next)) return;
    m_undo.push(new DocumentChange(*this, what, m_document, std::move(next)));
}

// Undoing goes back to an older state, but keeps what was only learned since: the file's name, measurements of the same
// pair of meshes, and where the viewer stands.
void DocumentModel::put(const Document& document) {
    std::map<const Mesh*, Level> known;
    if (m_document.source == document.source)
        for (const Level& level : m_document.levels)
            if (level.evidence) known[level.mesh.get()] = level;
    const std::filesystem::path path = m_document.path;
    const double viewer = m_document.viewerDistance * unitRatio(m_document, document);
    m_document = document;
    m_document.path = path;
    m_document.viewerDistance = viewer;
    for (Level& level : m_document.levels) {
        const auto measured = known.find(level.mesh.get());
        if (level.evidence || measured == known.end()) continue;
        level.evidence = measured->second.evidence;
        level.outline = measured->second.outline;
    }
    emit changed();
}

void DocumentModel::attachEvidence(const std::shared_ptr<const Mesh>& mesh,
                                   const std::shared_ptr<const Deviation>& evidence,
                                   const std::optional<OutlineError>& outline) {
    for (Level& level : m_document.levels) {
        if (level.mesh != mesh) continue;
        level.evidence = evidence;
        if (outline) level.outline = outline;
    }
    emit changed();
}

void DocumentModel::placeViewer(double metres) {
    m_document.viewerDistance = metres;
}

void DocumentModel::markSaved(const std::filesystem::path& path) {
    m_document.path = path;
    m_document.name = path.stem().string();
    m_recovered = false;
    m_undo.setClean();
    emit changed();
    emit editedChanged();
}

}  // namespace um::app
