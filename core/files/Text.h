#pragma once
/// Reading text files: lines, words and numbers, in parallel chunks; and sentences about the line where one is broken.
#include "base/Progress.h"

#include <filesystem>
#include <functional>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace um {

/// How lines end: at each line feed, or, as in OBJ, only where no backslash before it says that the line goes on.
enum class Lines { Plain, Continued };

/// A place in a text that is read word by word within one line. Where that goes on behind a backslash, words do not.
class LineCursor {
public:
    explicit LineCursor(std::string_view line) : m_rest(line) {}

    /// The next word, empty at the end of the line.
    std::string_view word();
    /// What is left of the line, without spaces around it.
    std::string_view rest();
    std::optional<float> number();
    bool atEnd();

private:
    void skipSpaces();
    std::string_view m_rest;
};

/// Parses a whole word as a whole number.
std::optional<long long> parseInteger(std::string_view word);

/// Cuts a text at line ends into chunks of about `chunkSize` bytes.
std::vector<std::string_view> chunksOfLines(std::string_view text, std::size_t chunkSize, Lines lines = Lines::Plain);

/// Takes the next line off the front of `text` (without its end, be it LF or CR LF). A comment (#) never goes on:
/// paths in it may end with a backslash.
std::string_view takeLine(std::string_view& text, Lines lines = Lines::Plain);

/// @throws FileError  "<path>, line 12: <what>"
[[noreturn]] void failAtLine(const std::filesystem::path& path, std::string_view text, const char* place,
                             const std::string& what);

/// The start of the word or line, shortened and free of control characters and of what is no UTF-8, for showing.
std::string shown(std::string_view text);

/// A file's name out of a URI, in which blanks and other letters may be written as %20.
std::string nameOfUri(std::string_view uri);

}  // namespace um
