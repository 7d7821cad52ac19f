#include "chain/Care.h"

namespace um {

ReduceSettings settingsFor(const Care& care, const Mesh& source, const Screen& screen) {
    ReduceSettings settings;
    settings.protect = care.protect;
    settings.guard = care.guard;
    settings.silhouetteWeight = care.silhouetteWeight;
    if (!care.dropLoose.empty())
        settings.dropLooseBelow = parseSize(care.dropLoose, diagonal(source), screen, source.metresPerUnit);
    return settings;
}

}  // namespace um
