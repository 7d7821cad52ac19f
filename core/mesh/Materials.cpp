#include "mesh/Materials.h"

#include <map>

namespace um {

void groupByMaterial(Mesh& mesh, const std::vector<std::uint32_t>& materialOf, bool joinParts) {
    std::map<std::pair<std::uint32_t, std::uint32_t>, std::uint16_t> sectionOf;  // by part and material
    std::vector<Section> sections;
    const std::vector<std::uint16_t> before = sectionOfTriangles(mesh);
    std::vector<std::uint16_t> chosen(before.size());
    for (std::size_t t = 0; t < before.size(); ++t) {
        const std::uint32_t part = joinParts ? 0 : mesh.sections[before[t]].part;
        const auto [place, isNew] = sectionOf.try_emplace({part, materialOf[t]}, std::uint16_t(sections.size()));
        if (isNew) sections.push_back({part, materialOf[t], 0, 0});
        chosen[t] = place->second;
    }
    mesh.sections = std::move(sections);
    if (joinParts) mesh.parts.resize(1);
    groupBySections(mesh, chosen);
}

void dropUnusedTextures(Mesh& mesh) {
    std::vector<int> places(mesh.textures.size(), -1);
    std::vector<Texture> kept;
    for (Material& material : mesh.materials)
        forTextureUses(material, [&](TextureUse& use) {
            if (!use) return;
            int& place = places[std::size_t(use.texture)];
            if (place < 0) {
                place = int(kept.size());
                kept.push_back(mesh.textures[std::size_t(use.texture)]);
            }
            use.texture = place;
        });
    mesh.textures = std::move(kept);
}

std::vector<std::uint8_t> usedMaterials(const Mesh& mesh) {
    std::vector<std::uint8_t> isUsed(mesh.materials.size(), 0);
    for (const Section& section : mesh.sections)
        if (section.triangleCount > 0) isUsed[section.material] = 1;
    return isUsed;
}

}  // namespace um
