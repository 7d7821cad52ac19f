#include "files/NamePattern.h"

#include "base/Error.h"

#include <algorithm>

namespace um {
namespace {

std::string withoutSpecialCharacters(std::string text) {
    std::replace_if(
        text.begin(), text.end(),
        [](unsigned char c) {
            return c < 0x20 || std::string_view("/\\:*?\"<>|").find(char(c)) != std::string_view::npos;
        },
        '_');
    return text;
}

}  // namespace

std::string fillPattern(const std::string& pattern, const std::string& name, const std::string& level,
                        std::size_t number) {
    std::string result;
    std::size_t at = 0;
    while (at < pattern.size()) {
        const std::size_t open = pattern.find('{', at);
        result += pattern.substr(at, open - at);
        if (open == std::string::npos) break;
        const std::size_t close = pattern.find('}', open);
        const std::string word = pattern.substr(open, close == std::string::npos ? close : close - open + 1);
        if (word == "{name}")
            result += withoutSpecialCharacters(name);
        else if (word == "{level}")
            result += withoutSpecialCharacters(level);
        else if (word == "{n}")
            result += std::to_string(number);
        else
            throw InputError("\"" + word +
                             "\" means nothing in a file name: use {name}, {level} and {n}, as in {name}_lod{n}.");
        at = close + 1;
    }
    if (result.empty()) throw InputError("The file names need a pattern, such as {name}_lod{n}.");
    return result;
}

}  // namespace um
