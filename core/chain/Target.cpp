#include "chain/Target.h"

#include "base/Error.h"
#include "base/Math.h"

#include <algorithm>
#include <cmath>

namespace um {
namespace {

constexpr const char* examples =
    "type a count (12k), a share (1.2%), a length (0.5mm) or pixels at a distance (1px@24m).";

[[noreturn]] void failTarget(std::string_view text) {
    throw InputError("\"" + std::string(text) + "\" is not a target: " + examples);
}

bool isBlank(std::string_view text) {
    return text.find_first_not_of(" \t") == std::string_view::npos;
}

Target parsePixels(std::string_view text, std::size_t at, std::size_t atLength) {
    const auto pixels = parseNumberWithSuffix(text.substr(0, at));
    if (!pixels || lowered(pixels->suffix) != "px" || !(pixels->number > 0))
        throw InputError("\"" + std::string(text) + "\" does not say how many pixels: write it like 1px@24m.");
    const Length distance = parseLength(text.substr(at + atLength));
    if (!(distance.value > 0))
        throw InputError("\"" + std::string(text) + "\" has no distance: write it like 1px@24m.");
    return PixelTarget{pixels->number, distance};
}

}  // namespace

double Screen::pixels(double length, double distance) const {
    return length * heightPixels / (2 * distance * std::tan(fieldOfViewDegrees * pi / 360));
}

double Screen::length(double pixelCount, double distance) const {
    return pixelCount / pixels(1, distance);
}

double Screen::distance(double length, double pixelCount) const {
    return pixels(length, 1) / pixelCount;
}

Screen parseScreen(std::string_view text) {
    Screen screen;
    std::string plain(text);
    for (const std::string separator : {"·", ",", ";"})
        if (const std::size_t at = plain.find(separator); at != std::string::npos)
            plain.replace(at, separator.size(), " ");
    std::string rest = plain;
    bool any = false;
    while (!isBlank(rest)) {
        const std::size_t begin = rest.find_first_not_of(" \t");
        std::size_t end = rest.find_first_of(" \t", begin);
        // "1440 px": the unit may stand apart.
        if (end != std::string::npos) {
            const std::size_t next = rest.find_first_not_of(" \t", end);
            if (next != std::string::npos && !std::isdigit(static_cast<unsigned char>(rest[next])))
                end = rest.find_first_of(" \t", next);
        }
        const auto typed = parseNumberWithSuffix(rest.substr(begin, end - begin));
        const std::string unit = typed ? lowered(typed->suffix) : "";
        if (typed && (unit == "px" || (unit.empty() && !any))) {
            if (typed->number < 16 || typed->number > 32768)
                throw InputError("A screen is between 16 and 32,768 pixels tall; write it like 1440px,50deg.");
            screen.heightPixels = int(std::lround(typed->number));
        } else if (typed && (unit == "deg" || unit == "°")) {
            if (typed->number < 1 || typed->number > 170)
                throw InputError(
                    "A vertical field of view lies between 1 and 170 degrees; write it like 1440px,50deg.");
            screen.fieldOfViewDegrees = typed->number;
        } else {
            throw InputError("\"" + std::string(text) +
                             "\" is not a screen: write its height and vertical field of view like 1440px,50deg.");
        }
        any = true;
        rest = end == std::string::npos ? "" : rest.substr(end);
    }
    if (!any) throw InputError("A screen needs its height and vertical field of view, like 1440px,50deg.");
    return screen;
}

std::string formatScreen(const Screen& screen) {
    return std::to_string(screen.heightPixels) + " px · " + formatNumber(screen.fieldOfViewDegrees) + "°";
}

Target parseTarget(std::string_view text) {
    if (isBlank(text)) throw InputError(std::string("Nothing is typed: ") + examples);
    if (const std::size_t at = text.find('@'); at != std::string_view::npos) return parsePixels(text, at, 1);
    if (const std::size_t at = text.find(" at "); at != std::string_view::npos) return parsePixels(text, at, 4);
    const auto typed = parseNumberWithSuffix(text);
    if (!typed) failTarget(text);
    std::string suffix = lowered(typed->suffix);
    if (suffix.starts_with('%')) std::erase(suffix, ' ');
    if (suffix == "%" || suffix == "%ofbefore") {
        if (!(typed->number > 0) || typed->number > 100)
            throw InputError("\"" + std::string(text) + "\" is out of range: a share lies above 0 % and up to 100 %.");
        return ShareTarget{typed->number / 100, suffix != "%"};
    }
    if (suffix == "px")
        throw InputError("\"" + std::string(text) +
                         "\" lacks the distance at which it is seen: write it like 1px@24m.");
    // A single M is a million triangles; metres as a deviation would be written 1000mm.
    if (suffix == "m" && typed->suffix == "m")
        throw InputError("\"" + std::string(text) + "\" could be metres or millions: write 1000mm or 1M.");
    if (suffix.empty() || suffix == "k" || suffix == "m") return CountTarget{parseCount(text)};
    if (!metresPerUnitOf(suffix)) failTarget(text);
    const Length length = parseLength(text);
    if (!(length.value > 0))
        throw InputError("\"" + std::string(text) + "\" allows no deviation at all: ask for more than 0.");
    return LengthTarget{length};
}

std::optional<std::size_t> targetTriangles(const Target& target, std::size_t sourceTriangles,
                                           std::optional<std::size_t> before) {
    if (const auto* count = std::get_if<CountTarget>(&target)) return std::min(count->triangles, sourceTriangles);
    if (const auto* share = std::get_if<ShareTarget>(&target))
        return std::max<std::size_t>(
            1, std::size_t(std::llround(share->share *
                                        double(share->ofBefore ? before.value_or(sourceTriangles) : sourceTriangles))));
    return std::nullopt;
}

std::optional<double> allowedDeviation(const Target& target, const Screen& screen, double metresPerUnit) {
    if (const auto* length = std::get_if<LengthTarget>(&target)) return length->deviation.inMeshUnits(metresPerUnit);
    if (const auto* pixel = std::get_if<PixelTarget>(&target))
        return screen.length(pixel->pixels, pixel->distance.inMeshUnits(metresPerUnit));
    return std::nullopt;
}

double parseSize(std::string_view text, double diagonal, const Screen& screen, double metresPerUnit) {
    const auto fail = [&]() -> Target {
        throw InputError("\"" + std::string(text) +
                         "\" is not a size: type a length (5mm), a share of the whole (0.2%) or pixels at a distance "
                         "(3px@24m).");
    };
    const Target target = [&] {
        try {
            return parseTarget(text);
        } catch (const InputError&) {
            return fail();
        }
    }();
    if (const auto* share = std::get_if<ShareTarget>(&target)) return share->share * diagonal;
    if (std::holds_alternative<CountTarget>(target)) fail();
    return *allowedDeviation(target, screen, metresPerUnit);
}

std::string describeTarget(const Target& target, std::size_t sourceTriangles, const Screen& screen,
                           double metresPerUnit) {
    if (const auto count = targetTriangles(target, sourceTriangles))
        return formatCount(*count) + " triangles, " + formatNumber(100 * double(*count) / double(sourceTriangles)) +
               " % of the source";
    const std::string allowed = formatLength(*allowedDeviation(target, screen, metresPerUnit) * metresPerUnit);
    if (std::holds_alternative<LengthTarget>(target)) return "fewest triangles within " + allowed;
    return "fewest triangles within " + allowed + " of the source";
}

}  // namespace um
