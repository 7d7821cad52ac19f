#pragma once
/// Notices when what the source was read from changes on disk while it is open.
#include "app/desks/DocumentModel.h"
#include "app/jobs/Job.h"

#include <QFileSystemWatcher>
#include <QTimer>

namespace um::app {

class SourceWatch : public QObject {
    Q_OBJECT

public:
    /// Where the document carries the source inside, files are of no concern.
    explicit SourceWatch(DocumentModel& model, QObject* parent = nullptr);

    /// Not every disk tells; this asks.
    void look();
    Job& job() { return m_looking; }

signals:
    /// The files hold something else than the source, and are complete. Told once for each time that they were written.
    void sourceChanged();

private:
    /// Sizes and times of change, of each file; empty where it is missing.
    using Stamps = std::vector<std::pair<std::uintmax_t, std::filesystem::file_time_type>>;

    void follow();
    std::vector<std::filesystem::path> files() const;

    DocumentModel& m_model;
    QFileSystemWatcher m_watcher;
    QTimer m_soon;
    Job m_looking;
    std::shared_ptr<const Mesh> m_source;
    std::vector<std::filesystem::path> m_files;
    Stamps m_last;   // when they were looked at last
    Stamps m_known;  // when they were compared last
};

}  // namespace um::app
