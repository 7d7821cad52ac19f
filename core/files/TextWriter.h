#pragma once
/// Writing text files with many numbers.
#include "base/File.h"

#include <charconv>
#include <string_view>

namespace um {

/// Numbers in the shortest text that reads back as the same float.
class TextWriter {
public:
    explicit TextWriter(FileWriter& writer) : m_writer(writer) {}

    TextWriter& operator<<(std::string_view text) {
        m_writer.write(text);
        return *this;
    }
    TextWriter& operator<<(float value) { return number(value); }
    TextWriter& operator<<(std::size_t value) { return number(value); }

private:
    template <class T>
    TextWriter& number(T value) {
        char buffer[32];
        const auto [end, problem] = std::to_chars(buffer, buffer + sizeof buffer, value);
        m_writer.write(buffer, std::size_t(end - buffer));
        return *this;
    }

    FileWriter& m_writer;
};

}  // namespace um
