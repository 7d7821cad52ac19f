#pragma once
/// Protection, guards and other care of reductions, as the user set it.
#include "chain/Target.h"
#include "reduce/Reduce.h"

namespace um {

struct Care {
    Protect protect;
    Guard guard;
    double silhouetteWeight = 0;  ///< 0 to 1
    std::string dropLoose;        ///< size below which loose pieces are dropped, as typed; empty drops none
    bool isThorough = false;      ///< whether the closest level of a count or share is searched for

    bool operator==(const Care&) const = default;
};

/// @throws InputError  if a typed size is none
ReduceSettings settingsFor(const Care& care, const Mesh& source, const Screen& screen);

/// The settings without guards of parts that the source lacks.
/// @param notes  a sentence is added for each
Care withKnownParts(Care care, const Mesh& source, std::vector<std::string>& notes);

}  // namespace um
