#pragma once
/// Protection of borders, seams, creases, materials and skins in a reduction.
#include <string>
#include <string_view>

namespace um {

enum class Protection : unsigned char {
    Off,  ///< treated like any other place
    On,   ///< vertices move only along the line, at a cost
    Hard  ///< its vertices stay bit for bit
};

/// Whether pieces may join and holes may close.
enum class TopologyRule : unsigned char { Stays, MayChange };

struct Protect {
    Protection borders = Protection::On;    ///< open and non-manifold edges
    Protection seams = Protection::On;      ///< discontinuities of UVs and colours
    Protection creases = Protection::Off;   ///< where the surface bends by more than `creaseDegrees`
    Protection materials = Protection::On;  ///< where parts or materials meet
    Protection skin = Protection::On;       ///< where the influence of joints changes

    double creaseDegrees = 40;

    bool operator==(const Protect&) const = default;
};

/// `borders=hard, seams=off, creases=30deg`: what is not named stays as it is by default. Values are off, on and hard;
/// creases take an angle too, which turns them on, and both as in `creases=hard 30deg`.
/// @throws InputError  saying what would be right
Protect parseProtect(std::string_view text);

/// All five, the way parseProtect reads them.
std::string formatProtect(const Protect& protect);

}  // namespace um
