#include "base/File.h"

#include "base/Error.h"

#include <fcntl.h>
#include <sys/mman.h>
#include <sys/stat.h>
#include <unistd.h>
#include <xxhash.h>
#include <cerrno>
#include <cstdlib>
#include <cstring>
#include <memory>

namespace um {
namespace {

std::string remedyFor(int error) {
    switch (error) {
        case ENOENT: return "does not exist; check the name and the folder.";
        case EACCES:
        case EPERM: return "may not be accessed; change its permissions or those of its folder.";
        case ENOSPC:
        case EDQUOT: return "does not fit: the disk is full; free some space or choose another folder.";
        case EROFS: return "lies on a read-only disk; choose another folder.";
        case EISDIR: return "is a folder; name a file.";
        case EMFILE: return "cannot be opened: too many files are open; close some and try again.";
        default: return std::string("cannot be used: ") + std::strerror(error) + ".";
    }
}

[[noreturn]] void fail(const std::string& name, int error) {
    throw FileError(name + " " + remedyFor(error));
}

// A name in the same folder, so that the rename stays on one disk; the process id keeps two programs apart.
std::filesystem::path asideName(const std::filesystem::path& path) {
    std::filesystem::path aside = path;
    aside += ".partial-" + std::to_string(::getpid());
    return aside;
}

void syncFolder(const std::filesystem::path& file) {
    const std::filesystem::path folder = file.has_parent_path() ? file.parent_path() : ".";
    const int handle = ::open(folder.c_str(), O_RDONLY | O_DIRECTORY);
    if (handle < 0) return;
    ::fsync(handle);
    ::close(handle);
}

}  // namespace

void writeWholeByName(const std::filesystem::path& path,
                      const std::function<void(const std::filesystem::path&)>& write) {
    if (std::filesystem::is_directory(path)) fail(path.string(), EISDIR);
    const std::filesystem::path folder = path.has_parent_path() ? path.parent_path() : ".";
    if (!std::filesystem::is_directory(folder))
        throw FileError("The folder " + folder.string() + " does not exist; make it or choose another one.");
    const std::filesystem::path aside = asideName(path);
    try {
        write(aside);
        if (::rename(aside.c_str(), path.c_str()) != 0) fail(path.string(), errno);
        syncFolder(path);
    } catch (...) {
        ::unlink(aside.c_str());
        throw;
    }
}

void writeWhole(const std::filesystem::path& path, const std::function<void(FileWriter&)>& write) {
    writeWholeByName(path, [&](const std::filesystem::path& aside) {
        FileWriter writer(aside, path.string());
        write(writer);
        writer.finish();
    });
}

MappedFile::MappedFile(const std::filesystem::path& path) {
    const int file = ::open(path.c_str(), O_RDONLY | O_CLOEXEC);
    if (file < 0) fail(path.string(), errno);
    struct stat info {};
    const int known = ::fstat(file, &info);
    const int error = known != 0 ? errno : S_ISDIR(info.st_mode) ? EISDIR : 0;
    if (error != 0) {
        ::close(file);
        fail(path.string(), error);
    }
    m_size = std::size_t(info.st_size);
    if (m_size == 0) {
        ::close(file);
        throw FileError(path.string() + " is empty (0 bytes); export or copy it again.");
    }
    void* data = ::mmap(nullptr, m_size, PROT_READ, MAP_PRIVATE, file, 0);
    const int mapError = errno;
    ::close(file);
    if (data == MAP_FAILED) fail(path.string(), mapError);
    ::madvise(data, m_size, MADV_SEQUENTIAL | MADV_WILLNEED);
    m_data = static_cast<const std::byte*>(data);
}

MappedFile::~MappedFile() {
    if (m_data != nullptr) ::munmap(const_cast<std::byte*>(m_data), m_size);
}

void MappedFile::release(std::size_t begin, std::size_t end) const {
    const auto page = std::size_t(::sysconf(_SC_PAGESIZE));
    const std::size_t first = (begin + page - 1) / page * page, last = std::min(end, m_size) / page * page;
    if (first < last) ::madvise(const_cast<std::byte*>(m_data) + first, last - first, MADV_DONTNEED);
}

FileWriter::FileWriter(const std::filesystem::path& path, std::string shownName) : m_shownName(std::move(shownName)) {
    constexpr std::size_t bufferSize = 1 << 20;
    m_buffer.reserve(bufferSize);
    m_file = ::open(path.c_str(), O_WRONLY | O_CREAT | O_TRUNC | O_CLOEXEC, 0666);
    if (m_file < 0) fail(m_shownName, errno);
}

FileWriter::~FileWriter() {
    if (m_file >= 0) ::close(m_file);
}

void FileWriter::write(const void* data, std::size_t size) {
    const char* bytes = static_cast<const char*>(data);
    while (size > 0) {
        const std::size_t room = m_buffer.capacity() - m_buffer.size();
        const std::size_t part = std::min(room, size);
        m_buffer.insert(m_buffer.end(), bytes, bytes + part);
        bytes += part;
        size -= part;
        if (m_buffer.size() == m_buffer.capacity()) flush();
    }
}

void FileWriter::flush() {
    std::size_t done = 0;
    while (done < m_buffer.size()) {
        const ssize_t written = ::write(m_file, m_buffer.data() + done, m_buffer.size() - done);
        if (written < 0 && errno == EINTR) continue;
        if (written < 0) fail(m_shownName, errno);
        done += std::size_t(written);
    }
    m_buffer.clear();
}

void FileWriter::finish() {
    flush();
    if (::fsync(m_file) != 0 && errno != EINVAL) fail(m_shownName, errno);
    const int result = ::close(m_file);
    m_file = -1;
    if (result != 0) fail(m_shownName, errno);
}

namespace {

using Hasher = std::unique_ptr<XXH3_state_t, decltype(&XXH3_freeState)>;

Hasher makeHasher() {
    Hasher hasher(XXH3_createState(), &XXH3_freeState);
    XXH3_128bits_reset(hasher.get());
    return hasher;
}

std::string digitsOf(const Hasher& hasher) {
    const XXH128_hash_t hash = XXH3_128bits_digest(hasher.get());
    char text[33];
    std::snprintf(text, sizeof text, "%016llx%016llx", static_cast<unsigned long long>(hash.high64),
                  static_cast<unsigned long long>(hash.low64));
    return text;
}

}  // namespace

std::string hashBytes(std::initializer_list<std::span<const std::byte>> pieces) {
    const Hasher hasher = makeHasher();
    for (const std::span<const std::byte> piece : pieces) XXH3_128bits_update(hasher.get(), piece.data(), piece.size());
    return digitsOf(hasher);
}

std::string hashFile(const std::filesystem::path& path, const Progress& progress) {
    const MappedFile file(path);
    const std::span<const std::byte> bytes = file.bytes();
    constexpr std::size_t step = 16 << 20;
    const Hasher hasher = makeHasher();
    for (std::size_t at = 0; at < bytes.size(); at += step) {
        progress.at(double(at) / double(bytes.size()));
        XXH3_128bits_update(hasher.get(), bytes.data() + at, std::min(step, bytes.size() - at));
    }
    return digitsOf(hasher);
}

std::filesystem::path userDataFolder() {
    const char* data = std::getenv("XDG_DATA_HOME");
    if (data != nullptr && *data != '\0') return std::filesystem::path(data) / "understated-mesh";
    const char* home = std::getenv("HOME");
    return std::filesystem::path(home != nullptr ? home : "/tmp") / ".local/share/understated-mesh";
}

}  // namespace um
