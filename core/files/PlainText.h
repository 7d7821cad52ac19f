#pragma once
/// Text of a file as UTF-8, whatever its byte order mark says.
#include <filesystem>
#include <string>
#include <string_view>

namespace um {

constexpr std::string_view utf8Mark = "\xef\xbb\xbf";

/// Whether the bytes begin with the byte order mark of UTF-16 and an ASCII letter, as all mesh formats of text do.
/// Binary files that happen to begin with the mark are told apart by that.
bool isUtf16(std::string_view bytes);

/// The text of a file without its byte order mark. UTF-16 is converted.
class PlainText {
public:
    /// @param bytes  must stay as they are
    /// @throws FileError  if it is invalid UTF-16
    PlainText(const std::filesystem::path& path, std::string_view bytes);
    PlainText(const PlainText&) = delete;
    PlainText& operator=(const PlainText&) = delete;

    std::string_view view() const { return m_view; }

private:
    std::string m_converted;
    std::string_view m_view;
};

}  // namespace um
