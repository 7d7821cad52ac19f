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

Care withKnownParts(Care care, const Mesh& source, std::vector<std::string>& notes) {
    std::erase_if(care.guard.parts, [&](const PartGuard& guard) {
        const bool known = hasPart(source, guard.part);
        if (!known) notes.push_back("There is no part " + guard.part + " to be guarded.");
        return !known;
    });
    return care;
}

}  // namespace um
