#pragma once
/// The computations that make levels of a document's chain: all of them, those that are stale, and meshes made by hand.
#include "app/desks/DocumentModel.h"
#include "app/jobs/Job.h"

#include <functional>

namespace um::app {

class ChainWork : public QObject {
    Q_OBJECT

public:
    explicit ChainWork(DocumentModel& model, QObject* parent = nullptr);

    /// Makes a recipe's chain in the place of all levels; its settings become the document's.
    void make(const Recipe& recipe);
    /// Makes anew what is stale, and nothing else.
    void remakeStale();
    /// Takes a mesh file in a level's place, or as a new last one where there is no such level.
    void takeHandmade(int level, const QString& path);

    Job& job() { return m_making; }
    Job& readingJob() { return m_reading; }

signals:
    /// What happened besides, in sentences.
    void said(const QString& text);
    /// A new chain is there.
    void made();

private:
    /// How the levels come into the document as it is once they are there.
    using PutIn = std::function<Document(Document now, std::vector<Level> levels)>;
    void run(const Recipe& recipe, std::vector<std::shared_ptr<Level>> ready, PutIn putIn);

    DocumentModel& m_model;
    Job m_making, m_reading;
};

}  // namespace um::app
