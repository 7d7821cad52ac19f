#include "app/desks/SourceWatch.h"

#include "files/MeshFile.h"

namespace um::app {
namespace {

// Whoever writes a file that large writes on within this time.
constexpr int settledMilliseconds = 700;

}  // namespace

SourceWatch::SourceWatch(DocumentModel& model, QObject* parent) : QObject(parent), m_model(model) {
    m_soon.setSingleShot(true);
    m_soon.setInterval(settledMilliseconds);
    connect(&m_soon, &QTimer::timeout, this, &SourceWatch::look);
    const auto soon = [this] {
        if (!m_soon.isActive()) m_soon.start();
    };
    connect(&m_watcher, &QFileSystemWatcher::fileChanged, this, soon);
    connect(&m_watcher, &QFileSystemWatcher::directoryChanged, this, soon);
    connect(&m_model, &DocumentModel::changed, this, &SourceWatch::follow);
}

std::vector<std::filesystem::path> SourceWatch::files() const {
    const Document& document = m_model.document();
    if (!m_model.isOpen() || document.embedSource || document.sourceFile.empty()) return {};
    std::vector<std::filesystem::path> files = {document.sourceFile};
    files.insert(files.end(), document.sourceCompanions.begin(), document.sourceCompanions.end());
    return files;
}

void SourceWatch::follow() {
    if (m_source == m_model.document().source) return;
    m_source = m_model.document().source;
    // By undoing, the document goes back to an older state of the same files, which the user knows of.
    if (std::vector<std::filesystem::path> now = files(); now != m_files) {
        m_files = std::move(now);
        m_last = m_known = {};
        for (const QStringList& paths : {m_watcher.files(), m_watcher.directories()})
            if (!paths.isEmpty()) m_watcher.removePaths(paths);
    }
    look();
}

void SourceWatch::look() {
    if (m_looking.isRunning()) {
        m_soon.start();
        return;
    }
    const std::vector<std::filesystem::path> watched = files();
    if (watched.empty()) return;
    // Asking a disk that sleeps, or is at the other end of a network, takes its time.
    m_looking.start([this, watched, last = m_last, known = m_known, source = m_source](const Progress& progress) {
        Stamps stamps;
        QStringList paths;
        for (const std::filesystem::path& file : watched) {
            std::error_code missing;
            const std::uintmax_t size = std::filesystem::file_size(file, missing);
            const auto time = std::filesystem::last_write_time(file, missing);
            stamps.push_back(missing ? Stamps::value_type() : Stamps::value_type(size, time));
            // A file that is put in another's place is another one to the watcher: folders tell of that.
            for (const std::filesystem::path& path : {file, file.parent_path()})
                if (std::filesystem::exists(path, missing)) paths += QString::fromStdString(path.string());
        }
        std::string hash;
        const bool isThere = stamps.front().first > 0, isComplete = stamps == last;
        if (isThere && isComplete && stamps != known)
            hash = hashMeshFile(watched.front(), std::span(watched).subspan(1), progress);
        return [this, stamps, paths, hash, source, isThere, isComplete] {
            if (source != m_source) {
                m_soon.start();
                return;
            }
            if (!paths.isEmpty()) m_watcher.addPaths(paths);
            m_last = stamps;
            if (isThere && !isComplete) m_soon.start();
            if (hash.empty()) return;
            m_known = stamps;
            if (hash != m_model.document().sourceHash) emit sourceChanged();
        };
    });
}

}  // namespace um::app
