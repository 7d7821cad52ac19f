#pragma once
/// Unsaved work that outlives the program: each running program keeps one file, which the next start finds if it was
/// not cleared away.
#include "document/Document.h"

#include <optional>

namespace um {

/// The file of this running program. Other programs leave it alone as long as this one lives, however it ends.
class RecoverySlot {
public:
    /// @throws FileError  if `folder` cannot be made or written
    explicit RecoverySlot(const std::filesystem::path& folder);
    ~RecoverySlot();
    RecoverySlot(const RecoverySlot&) = delete;
    RecoverySlot& operator=(const RecoverySlot&) = delete;

    /// @throws FileError, Cancelled
    void keep(const Document& document, const Progress& progress) const;
    /// The work is saved, or not wanted: nothing is kept any more.
    void clear() const;

private:
    std::filesystem::path m_file;
    int m_lock = -1;
};

/// The newest unsaved work that a program which no longer runs left behind.
std::optional<std::filesystem::path> findAbandonedWork(const std::filesystem::path& folder);

/// Throws such work away.
void discardAbandonedWork(const std::filesystem::path& file);

/// <user data folder>/recovery
std::filesystem::path recoveryFolder();

}  // namespace um
