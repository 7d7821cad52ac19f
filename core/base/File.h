#pragma once
/// Files on disk: reading through a memory map, writing aside and renaming, and the hash that tells whether a file
/// changed.
#include "base/Progress.h"

#include <cstddef>
#include <filesystem>
#include <functional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

namespace um {

/// Writes `path` as a whole or not at all: `write` fills a file beside it, which takes its place when everything is on
/// disk. After an error or a cancel the old file is unchanged.
/// @throws FileError  if the folder is missing or not writable, or the disk is full
void writeWhole(const std::filesystem::path& path, const std::function<void(class FileWriter&)>& write);

/// The same for writers that want to open the file by name themselves.
void writeWholeByName(const std::filesystem::path& path,
                      const std::function<void(const std::filesystem::path&)>& write);

/// A file's bytes, mapped read-only.
class MappedFile {
public:
    /// @throws FileError  if it is missing, a directory, not readable, or empty
    explicit MappedFile(const std::filesystem::path& path);
    ~MappedFile();
    MappedFile(const MappedFile&) = delete;
    MappedFile& operator=(const MappedFile&) = delete;

    std::span<const std::byte> bytes() const { return {m_data, m_size}; }
    /// Releases the memory of a range; the next access reads it from the disk again.
    void release(std::size_t begin, std::size_t end) const;

    std::string_view text() const { return {reinterpret_cast<const char*>(m_data), m_size}; }

private:
    const std::byte* m_data = nullptr;
    std::size_t m_size = 0;
};

/// Buffered writing into an open file.
class FileWriter {
public:
    /// @throws FileError  if the file cannot be made
    FileWriter(const std::filesystem::path& path, std::string shownName);
    ~FileWriter();
    FileWriter(const FileWriter&) = delete;
    FileWriter& operator=(const FileWriter&) = delete;

    /// @throws FileError  if the disk is full or the file cannot be written
    void write(const void* data, std::size_t size);
    void write(std::string_view text) { write(text.data(), text.size()); }
    template <class T>
    void writeArray(std::span<const T> values) {
        write(values.data(), values.size_bytes());
    }

    /// Flushes all bytes to the disk.
    void finish();

private:
    void flush();

    std::string m_shownName;
    std::vector<char> m_buffer;
    int m_file = -1;
};

/// The XXH3 hash (128 bits, as 32 hex digits) of the concatenated pieces.
std::string hashBytes(std::initializer_list<std::span<const std::byte>> pieces);

/// The same hash of a file's bytes.
/// @throws FileError, Cancelled
std::string hashFile(const std::filesystem::path& path, const Progress& progress);

/// The folder for the program's own data (recovery, recent files): $XDG_DATA_HOME or ~/.local/share.
std::filesystem::path userDataFolder();

}  // namespace um
