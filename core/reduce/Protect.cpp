#include "reduce/Protect.h"

#include "base/Error.h"
#include "base/Units.h"

#include <array>

namespace um {

namespace {

struct Named {
    const char* name;
    Protection Protect::*value;
};

constexpr std::array<Named, 5> protectionNames = {{{"borders", &Protect::borders},
                                                   {"seams", &Protect::seams},
                                                   {"creases", &Protect::creases},
                                                   {"materials", &Protect::materials},
                                                   {"skin", &Protect::skin}}};

constexpr std::array<const char*, 3> strictness = {"off", "on", "hard"};

[[noreturn]] void failProtect(std::string_view text) {
    throw InputError("\"" + std::string(text) +
                     "\" is not understood: name borders, seams, creases, materials or skin, each with off, on or "
                     "hard, as in borders=hard; creases take an angle too, as in creases=30deg.");
}

std::string_view trimmed(std::string_view text) {
    const std::size_t begin = text.find_first_not_of(" \t");
    if (begin == std::string_view::npos) return {};
    return text.substr(begin, text.find_last_not_of(" \t") - begin + 1);
}

// @returns whether the word is off, on or hard
bool takeStrictness(std::string_view word, Protection& value) {
    for (std::size_t i = 0; i < strictness.size(); ++i)
        if (word == strictness[i]) {
            value = Protection(i);
            return true;
        }
    return false;
}

bool takeAngle(std::string_view word, double& degrees) {
    const auto number = parseNumberWithSuffix(word);
    if (!number || (number->suffix != "deg" && number->suffix != "°")) return false;
    if (!(number->number > 0) || number->number >= 180) return false;
    degrees = number->number;
    return true;
}

void takeItem(std::string_view item, Protect& protect) {
    const std::size_t equals = item.find('=');
    if (equals == std::string_view::npos) failProtect(item);
    const std::string_view name = trimmed(item.substr(0, equals));
    std::string_view rest = trimmed(item.substr(equals + 1));
    for (const Named& named : protectionNames) {
        if (name != named.name) continue;
        Protection& value = protect.*named.value;
        if (takeStrictness(rest, value)) return;
        if (name != std::string_view("creases")) failProtect(item);
        const std::size_t space = rest.find(' ');
        value = Protection::On;
        if (space != std::string_view::npos) {
            if (!takeStrictness(rest.substr(0, space), value)) failProtect(item);
            rest = trimmed(rest.substr(space));
        }
        if (!takeAngle(rest, protect.creaseDegrees)) failProtect(item);
        return;
    }
    failProtect(item);
}

}  // namespace

Protect parseProtect(std::string_view text) {
    Protect protect;
    while (!trimmed(text).empty()) {
        const std::size_t comma = std::min(text.find(','), text.size());
        takeItem(trimmed(text.substr(0, comma)), protect);
        text.remove_prefix(std::min(text.size(), comma + 1));
    }
    return protect;
}

std::string formatProtect(const Protect& protect) {
    std::string text;
    for (const Named& named : protectionNames) {
        if (!text.empty()) text += ", ";
        text += std::string(named.name) + "=" + strictness[std::size_t(protect.*named.value)];
        if (named.value == &Protect::creases) text += " " + formatNumber(protect.creaseDegrees) + "deg";
    }
    return text;
}

}  // namespace um
