#pragma once
/// The SQLite file under a document: named texts, and named arrays in compressed chunks.
#include "base/Error.h"
#include "base/Progress.h"

#include <cstring>
#include <filesystem>
#include <span>
#include <string>
#include <vector>

struct sqlite3;

namespace um {

class Database {
public:
    enum class Mode { Create, Read };

    /// @param shownName  the name that messages speak of
    /// @throws FileError  if it cannot be opened, is no document, or comes from a newer version
    Database(const std::filesystem::path& path, std::string shownName, Mode mode);
    ~Database();
    Database(const Database&) = delete;
    Database& operator=(const Database&) = delete;

    void writeText(const std::string& name, const std::string& text);
    std::string readText(const std::string& name) const;

    /// Compresses chunks of the bytes in parallel.
    void writeBytes(const std::string& name, std::span<const std::byte> bytes, const Progress& progress);
    std::vector<std::byte> readBytes(const std::string& name) const;

    template <class T>
    void writeArray(const std::string& name, const std::vector<T>& values, const Progress& progress) {
        if (!values.empty()) writeBytes(name, std::as_bytes(std::span(values)), progress);
    }
    template <class T>
    std::vector<T> readArray(const std::string& name) const {
        const std::vector<std::byte> bytes = readBytes(name);
        if (bytes.size() % sizeof(T) != 0) failDamaged();
        std::vector<T> values(bytes.size() / sizeof(T));
        if (!bytes.empty()) std::memcpy(static_cast<void*>(values.data()), bytes.data(), bytes.size());
        return values;
    }

    /// Brings everything to the disk.
    void finish();

    [[noreturn]] void failDamaged() const;

private:
    [[noreturn]] void fail(int code) const;
    void run(const char* sql);

    std::string m_shownName;
    sqlite3* m_handle = nullptr;
};

}  // namespace um
