#include "document/Recovery.h"

#include "base/Error.h"
#include "base/File.h"

#include <fcntl.h>
#include <sys/file.h>
#include <unistd.h>

namespace um {
namespace {

constexpr const char* workExtension = ".umesh";

std::filesystem::path lockOf(const std::filesystem::path& work) {
    std::filesystem::path lock = work;
    lock.replace_extension(".lock");
    return lock;
}

// The system lets go of the lock when its process ends, even if it was killed.
int tryLock(const std::filesystem::path& path) {
    const int file = ::open(path.c_str(), O_RDWR | O_CREAT | O_CLOEXEC, 0600);
    if (file < 0) return -1;
    if (::flock(file, LOCK_EX | LOCK_NB) == 0) return file;
    ::close(file);
    return -1;
}

}  // namespace

RecoverySlot::RecoverySlot(const std::filesystem::path& folder) {
    std::error_code problem;
    std::filesystem::create_directories(folder, problem);
    for (int number = 1; number < 1000 && m_lock < 0 && !problem; ++number) {
        m_file = folder / ("work-" + std::to_string(::getpid()) + "-" + std::to_string(number) + workExtension);
        if (std::filesystem::exists(m_file)) continue;
        m_lock = tryLock(lockOf(m_file));
    }
    if (m_lock < 0)
        throw FileError(folder.string() +
                        " cannot be written: unsaved work will not survive a crash; check its permissions.");
}

RecoverySlot::~RecoverySlot() {
    std::error_code ignored;
    if (!std::filesystem::exists(m_file)) std::filesystem::remove(lockOf(m_file), ignored);
    ::close(m_lock);
}

void RecoverySlot::keep(const Document& document, const Progress& progress) const {
    saveDocument(document, m_file, progress);
}

void RecoverySlot::clear() const {
    std::error_code ignored;
    std::filesystem::remove(m_file, ignored);
}

std::optional<std::filesystem::path> findAbandonedWork(const std::filesystem::path& folder) {
    std::error_code problem;
    std::optional<std::filesystem::path> newest;
    for (const auto& entry : std::filesystem::directory_iterator(folder, problem)) {
        if (entry.path().extension() != workExtension) continue;
        const int lock = tryLock(lockOf(entry.path()));
        if (lock < 0) continue;
        ::close(lock);
        if (!newest || entry.last_write_time(problem) > std::filesystem::last_write_time(*newest, problem))
            newest = entry.path();
    }
    return newest;
}

void discardAbandonedWork(const std::filesystem::path& file) {
    std::error_code ignored;
    std::filesystem::remove(file, ignored);
    std::filesystem::remove(lockOf(file), ignored);
}

std::filesystem::path recoveryFolder() {
    return userDataFolder() / "recovery";
}

}  // namespace um
