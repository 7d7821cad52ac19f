#pragma once
/// What a reduction must take care of besides the shape, and how strictly.

namespace um {

enum class Protection : unsigned char {
    Off,  ///< gives way like any other place
    On,   ///< straightened only along itself, at a cost
    Hard  ///< its vertices stay bit for bit
};

struct Protect {
    Protection borders = Protection::On;    ///< where the surface ends, or is not a surface
    Protection seams = Protection::On;      ///< where UVs or colours break
    Protection creases = Protection::Off;   ///< where the surface bends by more than `creaseDegrees`
    Protection materials = Protection::On;  ///< where parts or materials meet
    Protection skin = Protection::On;       ///< where the influence of joints changes

    double creaseDegrees = 40;

    bool operator==(const Protect&) const = default;
};

}  // namespace um
