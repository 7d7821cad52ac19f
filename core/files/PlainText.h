#pragma once
/// Text of a file as UTF-8, whatever its byte order mark says.
#include <filesystem>
#include <string>
#include <string_view>

namespace um {

constexpr std::string_view utf8Mark = "\xef\xbb\xbf";

/// Whether it begins with the byte order mark of UTF-16.
bool isUtf16(std::string_view bytes);

/// The text of a file without its byte order mark. UTF-16 is converted.
class PlainText {
public:
    /// @param bytes  must stay as they are
    /// @throws FileError  if it is UTF-16 with letters that do not exist
    PlainText(const std::filesystem::path& path, std::string_view bytes);
    PlainText(const PlainText&) = delete;
    PlainText& operator=(const PlainText&) = delete;

    std::string_view view() const { return m_view; }

private:
    std::string m_converted;
    std::string_view m_view;
};

}  // namespace um
