#pragma once
/// The document of a window: its present state, and every change of it undoable. Views listen to it, never to one
/// another.
#include "document/Document.h"

#include <QObject>
#include <QUndoStack>

namespace um::app {

class DocumentModel : public QObject {
    Q_OBJECT

public:
    explicit DocumentModel(QObject* parent = nullptr);

    const Document& document() const { return m_document; }
    bool isOpen() const { return m_document.source != nullptr; }
    bool isEdited() const { return !m_undo.isClean() || m_recovered; }
    QUndoStack& undoStack() { return m_undo; }

    /// Takes another document's place; what was there is gone. @param recovered  it was never saved as it is now
    void open(Document document, bool recovered);
    /// The document as it will be, under a name for the Edit menu. The same state again is no change.
    void change(const QString& what, Document next);
    /// Measurements arrive later than what they measure, and are no decision of the user's: not undoable, but to be
    /// saved.
    void attachEvidence(const std::shared_ptr<const Mesh>& mesh, const std::shared_ptr<const Deviation>& evidence,
                        const std::optional<OutlineError>& outline = {});
    /// Where the viewer stands is kept with the document, but is no change of it.
    void placeViewer(double metres);
    void markSaved(const std::filesystem::path& path);

signals:
    void opened();
    void changed();
    void editedChanged();

private:
    friend class DocumentChange;
    void put(const Document& document);

    Document m_document;
    QUndoStack m_undo;
    bool m_recovered = false;
};

}  // namespace um::app
