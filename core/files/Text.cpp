#include "files/Text.h"

#include "base/Error.h"

#include <fast_float/fast_float.h>

#include <algorithm>
#include <charconv>

namespace um {
namespace {

bool isSpace(char c) {
    return c == ' ' || c == '\t' || c == '\r' || c == '\n';
}

// The length of the space that `text` begins with: one character, or a backslash and the line end behind it; else 0.
std::size_t spaceAtFront(std::string_view text) {
    if (text.empty()) return 0;
    if (isSpace(text.front())) return 1;
    if (text.front() != '\\') return 0;
    return text.starts_with("\\\n") ? 2 : text.starts_with("\\\r\n") ? 3 : 0;
}

// The line feed at the end of the line that `from` lies in.
std::size_t endOfLine(std::string_view text, std::size_t from, Lines lines) {
    std::size_t end = text.find('\n', from);
    if (lines == Lines::Plain) return end;
    const auto goesOn = [&] {
        const std::size_t last = end > 0 && text[end - 1] == '\r' ? end - 1 : end;
        return last > 0 && text[last - 1] == '\\';
    };
    while (end != std::string_view::npos && goesOn()) end = text.find('\n', end + 1);
    return end;
}

}  // namespace

void LineCursor::skipSpaces() {
    while (const std::size_t length = spaceAtFront(m_rest)) m_rest.remove_prefix(length);
}

std::string_view LineCursor::word() {
    skipSpaces();
    std::size_t length = 0;
    while (length < m_rest.size() && !spaceAtFront(m_rest.substr(length))) ++length;
    const std::string_view found = m_rest.substr(0, length);
    m_rest.remove_prefix(length);
    return found;
}

std::string_view LineCursor::rest() {
    skipSpaces();
    std::string_view found = m_rest;
    while (!found.empty() && isSpace(found.back())) found.remove_suffix(1);
    m_rest = {};
    return found;
}

std::optional<float> LineCursor::number() {
    skipSpaces();
    float value = 0;
    const char* begin = m_rest.data();
    const char* end = begin + m_rest.size();
    if (begin != end && *begin == '+') ++begin;
    const auto [stop, problem] = fast_float::from_chars(begin, end, value);
    const std::string_view behind = m_rest.substr(std::size_t(stop - m_rest.data()));
    if (problem != std::errc() || (!behind.empty() && !spaceAtFront(behind))) return std::nullopt;
    m_rest = behind;
    return value;
}

bool LineCursor::atEnd() {
    skipSpaces();
    return m_rest.empty();
}

std::optional<long long> parseInteger(std::string_view word) {
    long long value = 0;
    const char* begin = word.data();
    const char* end = begin + word.size();
    if (begin != end && *begin == '+') ++begin;
    const auto [stop, problem] = std::from_chars(begin, end, value);
    if (problem != std::errc() || stop != end) return std::nullopt;
    return value;
}

std::vector<std::string_view> chunksOfLines(std::string_view text, std::size_t chunkSize, Lines lines) {
    std::vector<std::string_view> chunks;
    while (!text.empty()) {
        std::size_t length = std::min(chunkSize, text.size());
        const std::size_t lineEnd = endOfLine(text, length - 1, lines);
        length = lineEnd == std::string_view::npos ? text.size() : lineEnd + 1;
        chunks.push_back(text.substr(0, length));
        text.remove_prefix(length);
    }
    return chunks;
}

std::string_view takeLine(std::string_view& text, Lines lines) {
    const std::size_t end = endOfLine(text, 0, text.starts_with('#') ? Lines::Plain : lines);
    std::string_view line = text.substr(0, end);
    text.remove_prefix(end == std::string_view::npos ? text.size() : end + 1);
    if (!line.empty() && line.back() == '\r') line.remove_suffix(1);
    return line;
}

void failAtLine(const std::filesystem::path& path, std::string_view text, const char* place, const std::string& what) {
    const auto line = 1 + std::count(text.data(), place, '\n');
    throw FileError(path.string() + ", line " + std::to_string(line) + ": " + what);
}

std::string shown(std::string_view text) {
    std::string result;
    for (const char c : text.substr(0, 40))
        result += static_cast<unsigned char>(c) < 0x20 || static_cast<unsigned char>(c) > 0x7e ? '?' : c;
    return text.size() > 40 ? result + "…" : result;
}

}  // namespace um
