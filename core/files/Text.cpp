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

// The bytes of the letter in UTF-8 that `text` begins with; 0 where that is none, or a control character.
std::size_t letterAtFront(std::string_view text) {
    const auto first = static_cast<unsigned char>(text.front());
    if (first < 0x80) return first >= 0x20 && first != 0x7f ? 1 : 0;
    const std::size_t length = first < 0xc2 ? 0 : first < 0xe0 ? 2 : first < 0xf0 ? 3 : first < 0xf5 ? 4 : 0;
    if (length == 0 || text.size() < length) return 0;
    const auto goesOn = [](char c) { return (static_cast<unsigned char>(c) & 0xc0) == 0x80; };
    if (!std::all_of(text.begin() + 1, text.begin() + long(length), goesOn)) return 0;
    // Control characters, surrogates, and what should have been written shorter or does not exist.
    const auto second = static_cast<unsigned char>(text[1]);
    const bool isWrong = (first == 0xc2 && second < 0xa0) || (first == 0xe0 && second < 0xa0) ||
                         (first == 0xed && second > 0x9f) || (first == 0xf0 && second < 0x90) ||
                         (first == 0xf4 && second > 0x8f);
    return isWrong ? 0 : length;
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
    constexpr std::size_t most = 40;
    std::string result;
    std::size_t count = 0;
    for (; !text.empty() && count < most; ++count) {
        const std::size_t length = letterAtFront(text);
        result += length > 0 ? text.substr(0, length) : "?";
        text.remove_prefix(std::max<std::size_t>(length, 1));
    }
    return text.empty() ? result : result + "…";
}

std::string nameOfUri(std::string_view uri) {
    std::string name;
    for (std::size_t i = 0; i < uri.size(); ++i) {
        unsigned char code = 0;
        const char* digits = uri.data() + i + 1;
        const bool isCoded =
            uri[i] == '%' && i + 2 < uri.size() && std::from_chars(digits, digits + 2, code, 16).ptr == digits + 2;
        name += isCoded ? char(code) : uri[i];
        if (isCoded) i += 2;
    }
    return name;
}

}  // namespace um
