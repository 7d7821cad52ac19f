#include "base/Units.h"

#include "base/Error.h"

#include <fast_float/fast_float.h>

#include <array>
#include <charconv>
#include <cmath>

namespace um {
namespace {

struct Unit {
    const char* name;
    double metres;
};

constexpr std::array units = {Unit{"mm", 0.001}, Unit{"cm", 0.01},   Unit{"m", 1.0},
                              Unit{"km", 1000},  Unit{"in", 0.0254}, Unit{"ft", 0.3048}};

// Above this a count is a slip of the finger, and would not fit the 32-bit indices of a mesh either.
constexpr double mostTriangles = 4e9;

std::string withoutSpaces(std::string_view text) {
    std::string result;
    for (const char c : text)
        if (c != ' ' && c != '\t') result += c;
    return result;
}

// With a point in every country, which printf does not promise.
std::string printed(double value, std::chars_format format, int decimals) {
    std::array<char, 64> buffer;
    const auto [end, problem] = std::to_chars(buffer.data(), buffer.data() + buffer.size(), value, format, decimals);
    return {buffer.data(), end};
}

std::string withDecimals(double value, int decimals) {
    return printed(value, std::chars_format::fixed, decimals);
}

}  // namespace

std::string lowered(std::string text) {
    for (char& c : text)
        if (c >= 'A' && c <= 'Z') c = char(c - 'A' + 'a');
    return text;
}

double Length::inMeshUnits(double meshMetresPerUnit) const {
    return metresPerUnit ? value * *metresPerUnit / meshMetresPerUnit : value;
}

std::optional<NumberWithSuffix> parseNumberWithSuffix(std::string_view text) {
    std::string plain = withoutSpaces(text);
    if (plain.find('.') == std::string::npos) {
        // "1,5" is one and a half to half of Europe; "12,000" is twelve thousand to the other half and to us.
        const std::size_t comma = plain.find(',');
        const std::size_t digits =
            comma == std::string::npos ? 0 : plain.find_first_not_of("0123456789", comma + 1) - comma - 1;
        const bool groups = comma != std::string::npos && std::min(digits, plain.size() - comma - 1) == 3 &&
                            comma > 0 && plain[0] != '0';
        if (comma != std::string::npos && !groups) plain[comma] = '.';
    }
    plain.erase(std::remove(plain.begin(), plain.end(), ','), plain.end());
    NumberWithSuffix result;
    const char* begin = plain.data();
    const char* end = begin + plain.size();
    const auto [stop, problem] = fast_float::from_chars(begin, end, result.number);
    if (problem != std::errc() || !std::isfinite(result.number)) return std::nullopt;
    result.suffix = std::string(stop, end);
    return result;
}

std::size_t parseCount(std::string_view text) {
    const auto typed = parseNumberWithSuffix(text);
    double factor = 0;
    if (typed) {
        const std::string suffix = lowered(typed->suffix);
        if (suffix.empty()) factor = 1;
        if (suffix == "k") factor = 1e3;
        if (suffix == "m") factor = 1e6;
    }
    if (factor == 0)
        throw InputError("\"" + std::string(text) + "\" is not a count: type a number such as 500, 12k or 1.5M.");
    const double count = std::round(typed->number * factor);
    if (count < 1 || count > mostTriangles)
        throw InputError("\"" + std::string(text) + "\" is out of range: a count lies between 1 and 4,000M.");
    return std::size_t(count);
}

Length parseLength(std::string_view text) {
    const auto typed = parseNumberWithSuffix(text);
    const auto unit = typed ? metresPerUnitOf(typed->suffix) : std::nullopt;
    if (!typed || (!typed->suffix.empty() && !unit))
        throw InputError("\"" + std::string(text) +
                         "\" is not a length: type a number with mm, cm, m, in or ft, such as 0.5 mm.");
    if (typed->number < 0)
        throw InputError("\"" + std::string(text) + "\" is negative: a length is 0 or more, such as 0.5 mm.");
    return {typed->number, unit};
}

double parseTexelDensity(std::string_view text) {
    const auto typed = parseNumberWithSuffix(text);
    const std::string suffix = typed ? typed->suffix : "";
    const auto unit = suffix.starts_with("px/") ? metresPerUnitOf(std::string_view(suffix).substr(3)) : std::nullopt;
    if (!typed || !unit || !(typed->number > 0))
        throw InputError("\"" + std::string(text) + "\" is no density of texels: type it like 400px/m or 4px/cm.");
    return typed->number / *unit;
}

std::optional<double> metresPerUnitOf(std::string_view name) {
    const std::string wanted = lowered(std::string(name));
    for (const Unit& unit : units)
        if (wanted == unit.name) return unit.metres;
    return std::nullopt;
}

std::string unitName(double metresPerUnit) {
    for (const Unit& unit : units)
        if (std::abs(metresPerUnit - unit.metres) < 1e-9 * unit.metres) return unit.name;
    return "units";
}

std::string formatCount(std::size_t count) {
    std::string digits = std::to_string(count);
    for (int at = int(digits.size()) - 3; at > 0; at -= 3) digits.insert(std::size_t(at), ",");
    return digits;
}

std::string countOf(std::size_t count, const std::string& one, const std::string& many) {
    return formatCount(count) + " " + (count == 1 ? one : many);
}

std::string formatShortCount(std::size_t count) {
    if (count < 1000) return std::to_string(count);
    const double thousands = double(count) / 1e3;
    if (thousands < 9.95) return withDecimals(thousands, 1) + "k";
    if (thousands < 999.5) return withDecimals(thousands, 0) + "k";
    const double millions = double(count) / 1e6;
    return withDecimals(millions, millions < 9.995 ? 2 : 1) + "M";
}

std::string formatNumber(double value) {
    if (value == 0) return "0";
    const double size = std::abs(value);
    if (size < 1e-4 || size >= 1e7) return printed(value, std::chars_format::scientific, 2);
    const int decimals = std::clamp(2 - int(std::floor(std::log10(size))), 0, 6);
    std::string text = withDecimals(value, decimals);
    if (decimals > 0) {
        text.erase(text.find_last_not_of('0') + 1);
        if (text.back() == '.') text.pop_back();
    }
    return text;
}

std::string formatLength(double metres) {
    // Less than an atom is what rounding leaves.
    constexpr double leastThatIs = 1e-10;
    const double size = std::abs(metres);
    if (size < leastThatIs) return "0 mm";
    if (size < 1e-5) return formatNumber(metres * 1e6) + " µm";
    if (size < 0.1) return formatNumber(metres * 1e3) + " mm";
    if (size < 1) return formatNumber(metres * 1e2) + " cm";
    if (size < 1e4) return formatNumber(metres) + " m";
    return formatNumber(metres / 1e3) + " km";
}

}  // namespace um
