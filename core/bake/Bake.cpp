#include "bake/Bake.h"

#include "base/Error.h"
#include "base/Parallel.h"
#include "base/Units.h"
#include "mesh/Normals.h"
#include "mesh/UvMap.h"

#include <cmath>
#include <map>
#include <tuple>

namespace um {
namespace {

using Texel = std::array<std::uint8_t, 4>;

std::uint8_t byteOf(double value) {
    return std::uint8_t(std::lround(std::clamp(value, 0.0, 1.0) * 255));
}

// An image of one value for each texel of the sheet.
template <class Value>
Image imageOf(const Sheet& sheet, bool hasAlpha, const Value& value) {
    Image image;
    image.width = image.height = sheet.size;
    image.hasAlpha = hasAlpha;
    image.texels.resize(sheet.texels.size());
    parallelFor(sheet.texels.size(), [&](std::size_t i) { image.texels[i] = value(sheet.texels[i]); });
    return image;
}

Texel directionTexel(const Vec3f& direction) {
    const float length = direction.norm();
    const Vec3f unit = length > 1e-6f ? Vec3f(direction / length) : Vec3f(Vec3f::UnitZ());
    return {byteOf(0.5 + 0.5 * unit.x()), byteOf(0.5 + 0.5 * unit.y()), byteOf(0.5 + 0.5 * unit.z()), 255};
}

// White where the level is, red where nothing was found, black elsewhere.
Image missesOf(const Sheet& sheet) {
    Image image;
    image.width = image.height = sheet.size;
    image.texels.resize(sheet.texels.size());
    for (std::size_t i = 0; i < sheet.states.size(); ++i)
        image.texels[i] = sheet.states[i] == Sheet::State::Hit      ? Texel{255, 255, 255, 255}
                          : sheet.states[i] == Sheet::State::Missed ? Texel{200, 40, 30, 255}
                                                                    : Texel{0, 0, 0, 255};
    return image;
}

template <class Test>
bool anyHit(const Sheet& sheet, const Test& test) {
    for (std::size_t i = 0; i < sheet.texels.size(); ++i)
        if (sheet.states[i] == Sheet::State::Hit && test(sheet.texels[i])) return true;
    return false;
}

// What light passes through is drawn in another way, and keeps a material of its own with the same images; so does what
// is cut out, and what is seen from both sides.
void shareOutSections(Mesh& level, const Material& baked, bool hasOpacity, bool joinParts) {
    using Kind = std::tuple<Material::Alpha, bool, float>;  // alpha, double-sided, cutoff
    const auto kindOf = [&](const Section& section) {
        const Material& m = level.materials[section.material];
        const Material::Alpha alpha = hasOpacity ? m.alpha : Material::Alpha::Opaque;
        return Kind(alpha, m.doubleSided, alpha == Material::Alpha::Mask ? m.alphaCutoff : 0.5f);
    };
    std::map<Kind, std::uint32_t> numberOf;
    for (const Section& section : level.sections) numberOf.try_emplace(kindOf(section), 0);
    std::vector<Material> materials;
    for (auto& [kind, number] : numberOf) {
        number = std::uint32_t(materials.size());
        Material& own = materials.emplace_back(baked);
        std::tie(own.alpha, own.doubleSided, own.alphaCutoff) = kind;
        if (own.alpha == Material::Alpha::Blend) own.name += ", transparent";
        if (own.alpha == Material::Alpha::Mask) own.name += ", cut out";
        if (own.doubleSided) own.name += ", both sides";
    }
    std::map<std::pair<std::uint32_t, std::uint32_t>, std::uint16_t> sectionOf;  // by part and material
    std::vector<Section> sections;
    std::vector<std::uint16_t> chosen;
    for (const std::uint16_t s : sectionOfTriangles(level)) {
        const std::uint32_t part = joinParts ? 0 : level.sections[s].part,
                            material = numberOf[kindOf(level.sections[s])];
        const auto [place, isNew] = sectionOf.try_emplace({part, material}, std::uint16_t(sections.size()));
        if (isNew) sections.push_back({part, material, 0, 0});
        chosen.push_back(place->second);
    }
    level.sections = sections;
    level.materials = materials;
    if (joinParts) level.parts.resize(1);
    groupBySections(level, chosen);
}

void requireOwnPlaces(const Mesh& level, const Progress& progress) {
    if (level.uvs.empty()) throw InputError("The level has no UVs to keep; let it be unwrapped.");
    for (const Vec2f& uv : level.uvs)
        if (!(uv.minCoeff() >= -1e-4f && uv.maxCoeff() <= 1 + 1e-4f))
            throw InputError(
                "The level's UVs go beyond 0 to 1, so that a sheet cannot hold them; let it be unwrapped.");
    Mesh one = level;
    for (Section& section : one.sections) section.material = 0;
    if (findUvOverlap(one, progress).materials > 0)
        throw InputError(
            "The level's UVs lie over one another, so that places would share texels; let it be unwrapped.");
}

}  // namespace

void dress(Mesh& level, const Sheet& sheet, const BakeChannels& channels, bool joinParts, const Progress& progress) {
    Material material;
    material.name = "Baked";
    material.baseColor = {1, 1, 1, 1};
    material.metallic = 0;
    material.roughness = 1;
    std::vector<std::pair<TextureUse*, Image>> images;
    const bool hasOpacity =
        channels.opacity && std::any_of(level.sections.begin(), level.sections.end(), [&](const Section& s) {
            return level.materials[s.material].alpha != Material::Alpha::Opaque;
        });
    if (channels.baseColor || hasOpacity)
        images.emplace_back(&material.baseColorTexture, imageOf(sheet, hasOpacity, [&](const SheetTexel& t) {
            const Vec3f c = channels.baseColor ? t.baseColor : Vec3f(Vec3f::Ones());
            return Texel{valueOf(double(c.x())), valueOf(double(c.y())), valueOf(double(c.z())),
                         hasOpacity ? byteOf(double(t.opacity)) : std::uint8_t(255)};
        }));
    if (channels.normal)
        images.emplace_back(&material.normalTexture,
                            imageOf(sheet, false, [](const SheetTexel& t) { return directionTexel(t.normal); }));
    if (channels.metallicRoughness || channels.occlusion) {
        // One image for all three, as glTF has it: occlusion in red, roughness in green, metalness in blue.
        if (channels.metallicRoughness) material.metallic = 1;
        images.emplace_back(
            channels.metallicRoughness ? &material.metallicRoughnessTexture : &material.occlusionTexture,
            imageOf(sheet, false, [](const SheetTexel& t) {
                return Texel{byteOf(double(t.occlusion)), byteOf(double(t.roughness)), byteOf(double(t.metallic)), 255};
            }));
    }
    if (channels.emission && anyHit(sheet, [](const SheetTexel& t) { return t.emission.maxCoeff() > 1.0f / 512; })) {
        material.emission = {1, 1, 1};
        images.emplace_back(&material.emissionTexture, imageOf(sheet, false, [](const SheetTexel& t) {
            return Texel{valueOf(double(t.emission.x())), valueOf(double(t.emission.y())),
                         valueOf(double(t.emission.z())), 255};
        }));
    }
    const auto nameOf = [&](const TextureUse* use) {
        return use == &material.baseColorTexture  ? "base color"
               : use == &material.normalTexture   ? "normal"
               : use == &material.emissionTexture ? "emission"
                                                  : "occlusion roughness metalness";
    };
    level.textures.assign(images.size(), {});
    parallelFor(
        images.size(),
        [&](std::size_t i) {
            progress.check();
            Texture& texture = level.textures[i];
            texture.name = nameOf(images[i].first);
            texture.mimeType = "image/png";
            texture.bytes = std::make_shared<const std::string>(pngOf(images[i].second));
            texture.width = texture.height = sheet.size;
            texture.wrapU = texture.wrapV = Texture::Wrap::Clamp;
        },
        1);
    for (std::size_t i = 0; i < images.size(); ++i) images[i].first->texture = int(i);
    if (channels.occlusion && channels.metallicRoughness) material.occlusionTexture = material.metallicRoughnessTexture;
    shareOutSections(level, material, hasOpacity, joinParts);
    level.colors.clear();  // the base colour has them
    level.wantsTangents = channels.normal;
}

BakeChannels parseBakeChannels(std::string_view text) {
    BakeChannels channels{false, false, false, false, false, false, false, false, false};
    const std::pair<std::string_view, bool BakeChannels::*> known[] = {{"base", &BakeChannels::baseColor},
                                                                       {"normal", &BakeChannels::normal},
                                                                       {"roughness", &BakeChannels::metallicRoughness},
                                                                       {"occlusion", &BakeChannels::occlusion},
                                                                       {"emission", &BakeChannels::emission},
                                                                       {"opacity", &BakeChannels::opacity},
                                                                       {"height", &BakeChannels::height},
                                                                       {"object-normal", &BakeChannels::objectNormal},
                                                                       {"misses", &BakeChannels::misses}};
    while (!text.empty()) {
        const std::size_t end = std::min(text.find(','), text.size());
        const std::string_view name = text.substr(0, end);
        text.remove_prefix(std::min(end + 1, text.size()));
        const auto found =
            std::find_if(std::begin(known), std::end(known), [&](const auto& k) { return k.first == name; });
        if (found == std::end(known))
            throw InputError("There is no channel " + std::string(name) +
                             "; there are base, normal, roughness (with metalness), occlusion, emission, opacity, "
                             "height, object-normal and misses.");
        channels.*found->second = true;
    }
    return channels;
}

Baked bake(const Mesh& source, const Mesh& level, const BakeSettings& settings, const Progress& progress) {
    requireSound(source, "the source");
    Baked baked;
    UnwrapSettings unwrapping = settings.unwrap;
    if (settings.keepUvs) {
        requireSound(level, "the level");
        requireOwnPlaces(level, progress.span(0, 0.1));
        baked.level = level;
    } else {
        unwrapping.pack.size = settings.transfer.size;
        unwrapping.pack.sheets = 1;
        if (settings.share != SheetShare::Area || !settings.factors.empty())
            unwrapping.weights = shareWeights(level, settings.share, settings.factors, progress.span(0, 0.02));
        baked.unwrapped = unwrap(level, unwrapping, progress.span(0, 0.2));
        baked.level = std::move(baked.unwrapped.mesh);
    }
    baked.parts = partShares(baked.level, progress.span(0.2, 0.2));
    // Where normals part but the sheet does not, filtering would mix what belongs to either side.
    if (!settings.keepUvs)
        makeNormals(baked.level, unwrapping.charts.creaseDegrees, baked.unwrapped.chartOf);
    else if (baked.level.normals.empty())
        makeNormals(baked.level, 180);
    const SurfaceMaterial material(source, baked.notes);
    if (settings.cage.depth < 0 || !(settings.cage.factor > 0)) throw InputError("The cage has a depth above nothing.");
    const Cage cage = makeCage(source, level, settings.cage, progress.span(0.2, 0.3));
    baked.deepest = *std::max_element(cage.depths.begin(), cage.depths.end());
    baked.sheet = transfer(material, baked.level, cage, settings.transfer, progress.span(0.3, 0.9));
    dilate(baked.sheet);
    if (settings.channels.height) {
        baked.heightSpan = baked.deepest;
        baked.extras.push_back({"height", pngOf(imageOf(baked.sheet, false, [&](const SheetTexel& t) {
                                    const std::uint8_t v = byteOf(0.5 + 0.5 * double(t.height) / baked.heightSpan);
                                    return Texel{v, v, v, 255};
                                }))});
    }
    if (settings.channels.objectNormal)
        baked.extras.push_back({"object-normal", pngOf(imageOf(baked.sheet, false, [](const SheetTexel& t) {
                                    return directionTexel(t.objectNormal);
                                }))});
    if (settings.channels.misses) baked.extras.push_back({"misses", pngOf(missesOf(baked.sheet))});
    dress(baked.level, baked.sheet, settings.channels, settings.joinParts, progress.span(0.9, 1));
    baked.unwrapped.chartOf.clear();  // triangles have changed places
    if (baked.level.materials.size() > 1)
        baked.notes.push_back(
            "What is transparent, cut out or seen from both sides is drawn in another way than the rest: " +
            std::to_string(baked.level.materials.size()) + " materials share the sheet.");
    for (const PartShare& part : baked.parts)
        if (part.isHog())
            baked.notes.push_back(part.part + " takes " + formatNumber(100 * part.sheet) +
                                  " % of the sheet, but is only " + formatNumber(100 * part.seen) +
                                  " % of what is seen: give it a smaller factor.");
    if (baked.sheet.missed > 0)
        baked.notes.push_back(
            formatCount(baked.sheet.missed) + " of " + formatCount(baked.sheet.covered) +
            " texels found nothing of the source within the cage, and show what is nearest in the sheet "
            "(--channels ... misses tells where).");
    progress.at(1);
    return baked;
}

}  // namespace um
