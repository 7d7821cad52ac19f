#pragma once
/// Typed numbers with units: counts (`12k`), lengths (`0.5 mm`), screens (`1440px 50deg`); and the way back to text.
#include <optional>
#include <string>
#include <string_view>

namespace um {

/// The text with the letters A to Z in lower case.
std::string lowered(std::string text);

/// A length as typed. With a unit it is absolute; without one it is in the unit of the mesh.
struct Length {
    double value = 0;                     ///< in `metresPerUnit`, or in the mesh's unit if there is none
    std::optional<double> metresPerUnit;  ///< 0.001 for mm, and so on

    /// In units of a mesh of which one unit is `meshMetresPerUnit` metres.
    double inMeshUnits(double meshMetresPerUnit) const;
};

/// A number followed by whatever text, spaces between them dropped: "1.5 M" gives 1.5 and "M".
struct NumberWithSuffix {
    double number = 0;
    std::string suffix;
};

/// Takes a decimal point or, in numbers without one, a decimal comma.
/// @returns nothing if the text does not begin with a finite number
std::optional<NumberWithSuffix> parseNumberWithSuffix(std::string_view text);

/// `500`, `12k`, `1.5M`: a whole number of at least 1.
/// @throws InputError  saying what would be right
std::size_t parseCount(std::string_view text);

/// `0.5mm`, `2 cm`, `1.2 m`, `3 in`, `1ft`, or a bare number in the mesh's unit; at least 0.
/// @throws InputError  saying what would be right
Length parseLength(std::string_view text);

/// `400px/m`, `4 px/cm`: texels along a length. @returns texels a metre
/// @throws InputError  saying what would be right
double parseTexelDensity(std::string_view text);

/// Metres in one of the units mm, cm, m, km, in, ft (any case).
std::optional<double> metresPerUnitOf(std::string_view name);

/// The name of a unit by its metres ("mm"), or "units" if it is none of those above.
std::string unitName(double metresPerUnit);

/// 1042316 -> "1,042,316".
std::string formatCount(std::size_t count);

/// "1 hole", "1,042 holes".
std::string countOf(std::size_t count, const std::string& one, const std::string& many);

/// 1042316 -> "1.04M", 612000 -> "612k", 950 -> "950".
std::string formatShortCount(std::size_t count);

/// About three significant digits without an exponent where that can be read: 0.4237 -> "0.424", 12.3 -> "12.3".
std::string formatNumber(double value);

/// A length given in metres, in the unit with the shortest text: 0.00042 -> "0.42 mm", 24 -> "24 m".
std::string formatLength(double metres);

}  // namespace um
