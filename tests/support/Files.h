#pragma once
/// Files that exist as long as a test runs, and what an error says.
#include "base/Error.h"

#include <filesystem>
#include <QString>
#include <QTemporaryDir>
#include <string>

namespace um::test {

class Folder {
public:
    std::filesystem::path operator/(const std::string& name) const { return path() / name; }
    std::filesystem::path path() const { return m_folder.path().toStdString(); }
    /// Writes the bytes and returns where.
    std::filesystem::path write(const std::string& name, const std::string& bytes) const;

private:
    QTemporaryDir m_folder;
};

std::string contentOf(const std::filesystem::path& path);

/// The message of the Error that `work` throws, or "" if it throws none.
template <class Work>
QString errorOf(const Work& work) {
    try {
        work();
    } catch (const Error& error) {
        return QString::fromUtf8(error.what());
    }
    return {};
}

/// The bytes of a number, in this machine's or the other byte order.
template <class T>
std::string bytesOf(T value, bool swapped = false) {
    std::string bytes(reinterpret_cast<const char*>(&value), sizeof value);
    return swapped ? std::string(bytes.rbegin(), bytes.rend()) : bytes;
}

}  // namespace um::test
