#include "document/Edits.h"

#include <algorithm>

namespace um {

Document withSource(Document document, std::shared_ptr<const Mesh> mesh) {
    document.source = std::move(mesh);
    document.sourceFile.clear();
    document.sourceHash.clear();
    document.embedSource = true;
    for (Level& level : document.levels) level.evidence.reset();
    return document;
}

Document withUnit(Document document, double metresPerUnit) {
    const auto inUnit = [&](const std::shared_ptr<const Mesh>& mesh) {
        auto changed = std::make_shared<Mesh>(*mesh);
        changed->metresPerUnit = metresPerUnit;
        changed->unitStated = true;
        return changed;
    };
    document.source = inUnit(document.source);
    for (Level& level : document.levels) level.mesh = inUnit(level.mesh);
    return document;
}

Document withPartGuard(Document document, const std::string& part, GuardValue value) {
    std::vector<PartGuard>& parts = document.care.guard.parts;
    std::erase_if(parts, [&](const PartGuard& guard) { return guard.part == part; });
    if (value != 0) parts.push_back({part, value});
    return document;
}

Document withLevel(Document document, Level level) {
    std::size_t number = document.levels.size();
    const auto isTaken = [&](const std::string& name) {
        return std::any_of(document.levels.begin(), document.levels.end(),
                           [&](const Level& other) { return other.name == name; });
    };
    do level.name = "LOD " + std::to_string(number++);
    while (isTaken(level.name));
    document.levels.push_back(std::move(level));
    return document;
}

Document withRenamedLevel(Document document, std::size_t level, const std::string& name) {
    if (!name.empty() && level < document.levels.size()) document.levels[level].name = name;
    return document;
}

Document withoutLevel(Document document, std::size_t level) {
    if (level < document.levels.size()) document.levels.erase(document.levels.begin() + long(level));
    return document;
}

std::optional<Document> withMeshReplaced(Document document, const std::shared_ptr<const Mesh>& old,
                                         std::shared_ptr<const Mesh> mesh) {
    const bool isSource = document.source == old;
    bool isThere = isSource;
    if (isSource) document = withSource(std::move(document), mesh);
    for (Level& level : document.levels) {
        if (level.mesh != old) continue;
        level.mesh = mesh;
        level.evidence.reset();
        isThere = true;
    }
    if (!isThere) return std::nullopt;
    return document;
}

}  // namespace um
