#include "document/Database.h"

#include "base/Parallel.h"

#include <sqlite3.h>
#include <zstd.h>

namespace um {
namespace {

constexpr int applicationId = 0x554d5348;  // "UMSH": marks the file as ours
constexpr int formatVersion = 1;
constexpr std::size_t chunkSize = 4 << 20;
constexpr int compressionLevel = 3;

// A statement that is finalised whatever happens.
class Statement {
public:
    Statement(sqlite3* handle, const char* sql) { m_code = sqlite3_prepare_v2(handle, sql, -1, &m_statement, nullptr); }
    ~Statement() { sqlite3_finalize(m_statement); }
    Statement(const Statement&) = delete;
    Statement& operator=(const Statement&) = delete;

    int prepared() const { return m_code; }
    void bind(int at, const std::string& text) {
        sqlite3_bind_text(m_statement, at, text.data(), int(text.size()), SQLITE_TRANSIENT);
    }
    void bind(int at, std::int64_t number) { sqlite3_bind_int64(m_statement, at, number); }
    void bindBlob(int at, const std::vector<char>& bytes) {
        sqlite3_bind_blob64(m_statement, at, bytes.data(), bytes.size(), SQLITE_STATIC);
    }
    int step() { return sqlite3_step(m_statement); }
    std::int64_t number(int column) { return sqlite3_column_int64(m_statement, column); }
    std::span<const std::byte> bytes(int column) {
        return {static_cast<const std::byte*>(sqlite3_column_blob(m_statement, column)),
                std::size_t(sqlite3_column_bytes(m_statement, column))};
    }

private:
    sqlite3_stmt* m_statement = nullptr;
    int m_code = SQLITE_OK;
};

}  // namespace

Database::Database(const std::filesystem::path& path, std::string shownName, Mode mode)
    : m_shownName(std::move(shownName)) {
    const int flags = mode == Mode::Create ? SQLITE_OPEN_READWRITE | SQLITE_OPEN_CREATE : SQLITE_OPEN_READONLY;
    const int code = sqlite3_open_v2(path.c_str(), &m_handle, flags, nullptr);
    try {
        if (code != SQLITE_OK) fail(code);
        if (mode == Mode::Create) {
            // The file is new and nobody else sees it: no journal is needed, only that it is all on disk in the end.
            run("PRAGMA journal_mode = OFF; PRAGMA synchronous = FULL; PRAGMA page_size = 16384;");
            run(("PRAGMA application_id = " + std::to_string(applicationId) +
                 "; PRAGMA user_version = " + std::to_string(formatVersion) + ";")
                    .c_str());
            run("CREATE TABLE text (name TEXT PRIMARY KEY, value TEXT NOT NULL);"
                "CREATE TABLE array (name TEXT, chunk INTEGER, size INTEGER NOT NULL, data BLOB NOT NULL,"
                " PRIMARY KEY (name, chunk)); BEGIN;");
            return;
        }
        Statement id(m_handle, "PRAGMA application_id");
        if (id.prepared() != SQLITE_OK || id.step() != SQLITE_ROW || id.number(0) != applicationId)
            throw FileError(m_shownName + " is no document of Understated Mesh, or is damaged; choose another file.");
        Statement version(m_handle, "PRAGMA user_version");
        if (version.prepared() != SQLITE_OK || version.step() != SQLITE_ROW || version.number(0) > formatVersion)
            throw FileError(m_shownName + " was saved by a newer version of the program; open it with that one.");
    } catch (...) {
        sqlite3_close(m_handle);
        throw;
    }
}

Database::~Database() {
    sqlite3_close(m_handle);
}

void Database::fail(int code) const {
    if (code == SQLITE_FULL)
        throw FileError(m_shownName + " does not fit: the disk is full; free some space or choose another folder.");
    if (code == SQLITE_CANTOPEN || code == SQLITE_PERM || code == SQLITE_READONLY)
        throw FileError(m_shownName + " may not be opened; check that it exists and its permissions.");
    if (code == SQLITE_NOTADB || code == SQLITE_CORRUPT) failDamaged();
    throw FileError(m_shownName + " cannot be used: " + sqlite3_errstr(code) + ".");
}

void Database::failDamaged() const {
    throw FileError(m_shownName +
                    " is no document of Understated Mesh, or is damaged; choose another file or an older copy.");
}

void Database::run(const char* sql) {
    const int code = sqlite3_exec(m_handle, sql, nullptr, nullptr, nullptr);
    if (code != SQLITE_OK) fail(code);
}

void Database::writeText(const std::string& name, const std::string& text) {
    Statement insert(m_handle, "INSERT INTO text VALUES (?, ?)");
    insert.bind(1, name);
    insert.bind(2, text);
    const int code = insert.step();
    if (code != SQLITE_DONE) fail(code);
}

std::string Database::readText(const std::string& name) const {
    Statement select(m_handle, "SELECT value FROM text WHERE name = ?");
    if (select.prepared() != SQLITE_OK) fail(select.prepared());
    select.bind(1, name);
    if (select.step() != SQLITE_ROW) failDamaged();
    const auto bytes = select.bytes(0);
    return {reinterpret_cast<const char*>(bytes.data()), bytes.size()};
}

void Database::writeBytes(const std::string& name, std::span<const std::byte> bytes, const Progress& progress) {
    const std::size_t chunks = chunkCount(bytes.size(), chunkSize);
    // A few chunks at a time, so that a large mesh is not in memory twice.
    constexpr std::size_t atOnce = 8;
    for (std::size_t first = 0; first < chunks; first += atOnce) {
        progress.at(double(first) / double(chunks));
        const std::size_t count = std::min(atOnce, chunks - first);
        std::vector<std::vector<char>> packed(count);
        parallelFor(
            count,
            [&](std::size_t i) {
                const auto part = bytes.subspan((first + i) * chunkSize);
                const std::size_t size = std::min(chunkSize, part.size());
                packed[i].resize(ZSTD_compressBound(size));
                packed[i].resize(
                    ZSTD_compress(packed[i].data(), packed[i].size(), part.data(), size, compressionLevel));
            },
            1);
        for (std::size_t i = 0; i < count; ++i) {
            Statement insert(m_handle, "INSERT INTO array VALUES (?, ?, ?, ?)");
            insert.bind(1, name);
            insert.bind(2, std::int64_t(first + i));
            insert.bind(3, std::int64_t(std::min(chunkSize, bytes.size() - (first + i) * chunkSize)));
            insert.bindBlob(4, packed[i]);
            const int code = insert.step();
            if (code != SQLITE_DONE) fail(code);
        }
    }
}

std::vector<std::byte> Database::readBytes(const std::string& name) const {
    Statement select(m_handle, "SELECT chunk, size, data FROM array WHERE name = ? ORDER BY chunk");
    if (select.prepared() != SQLITE_OK) fail(select.prepared());
    select.bind(1, name);
    std::vector<std::byte> bytes;
    std::int64_t expected = 0;
    int code = select.step();
    for (; code == SQLITE_ROW; code = select.step()) {
        const auto packed = select.bytes(2);
        const std::int64_t size = select.number(1);
        if (select.number(0) != expected++ || size < 0 || size > std::int64_t(chunkSize)) failDamaged();
        const std::size_t at = bytes.size();
        bytes.resize(at + std::size_t(size));
        if (ZSTD_decompress(bytes.data() + at, std::size_t(size), packed.data(), packed.size()) != std::size_t(size))
            failDamaged();
    }
    if (code != SQLITE_DONE) fail(code);
    return bytes;
}

void Database::finish() {
    run("COMMIT;");
    sqlite3_close(m_handle);
    m_handle = nullptr;
}

}  // namespace um
