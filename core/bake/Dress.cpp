#include "bake/Dress.h"

#include "base/Error.h"
#include "base/Parallel.h"
#include "mesh/Materials.h"

#include <cmath>
#include <map>
#include <optional>

namespace um {
namespace {

using Values = std::array<double, 4>;

template <class Integer>
Integer levelOf(double value) {
    constexpr double most = std::numeric_limits<Integer>::max();
    return Integer(std::lround(std::clamp(value, 0.0, 1.0) * most));
}

// An image of one value for each texel of the sheet.
template <class AnyImage, class Value>
std::string imageBytes(const Sheet& sheet, bool hasAlpha, const Value& value) {
    AnyImage image;
    image.width = image.height = sheet.size;
    image.hasAlpha = hasAlpha;
    image.texels.resize(sheet.texels.size());
    parallelFor(sheet.texels.size(), [&](std::size_t i) {
        const Values values = value(sheet.texels[i].unpacked());
        for (std::size_t k = 0; k < 4; ++k)
            image.texels[i][k] = levelOf<std::decay_t<decltype(image.texels[i][k])>>(values[k]);
    });
    return pngOf(image);
}

template <class Value>
std::string imageBytes(const Sheet& sheet, bool deep, bool hasAlpha, const Value& value) {
    return deep ? imageBytes<DeepImage>(sheet, hasAlpha, value) : imageBytes<Image>(sheet, hasAlpha, value);
}

Values directionValues(const Vec3f& direction) {
    const float length = direction.norm();
    const Vec3f unit = length > 1e-6f ? Vec3f(direction / length) : Vec3f(Vec3f::UnitZ());
    return {0.5 + 0.5 * double(unit.x()), 0.5 + 0.5 * double(unit.y()), 0.5 + 0.5 * double(unit.z()), 1};
}

Values colorValues(const Vec3f& light, double alpha) {
    return {encodedLight(double(light.x())), encodedLight(double(light.y())), encodedLight(double(light.z())), alpha};
}

// White where the level is, red where nothing was found, black elsewhere.
std::string missesOf(const Sheet& sheet) {
    using Texel = std::array<std::uint8_t, 4>;
    Image image;
    image.width = image.height = sheet.size;
    image.texels.resize(sheet.texels.size());
    for (std::size_t i = 0; i < sheet.states.size(); ++i)
        image.texels[i] = sheet.states[i] == Sheet::State::Hit      ? Texel{255, 255, 255, 255}
                          : sheet.states[i] == Sheet::State::Missed ? Texel{200, 40, 30, 255}
                                                                    : Texel{0, 0, 0, 255};
    return pngOf(image);
}

bool anyShines(const Sheet& sheet) {
    for (std::size_t i = 0; i < sheet.texels.size(); ++i)
        if (sheet.states[i] == Sheet::State::Hit && sheet.texels[i].unpacked().emission.maxCoeff() > 1.0f / 512)
            return true;
    return false;
}

}  // namespace

DrawnAs::DrawnAs(const Material& material, bool keepsOpacity)
    : alpha(keepsOpacity ? material.alpha : Material::Alpha::Opaque),
      doubleSided(material.doubleSided),
      cutoff(alpha == Material::Alpha::Mask ? material.alphaCutoff : 0.5f) {}

Dressing::Dressing(Mesh& mesh, std::vector<int> sheetOf, int sheets, const DressSettings& settings)
    : m_mesh(mesh), m_sheetOf(std::move(sheetOf)), m_sheets(sheets), m_settings(settings) {
    m_hasOpacity.assign(std::size_t(sheets), 0);
    const std::vector<std::uint16_t> sections = sectionOfTriangles(mesh);
    for (TriangleId t = 0; t < m_sheetOf.size() && settings.channels.opacity; ++t)
        if (m_sheetOf[t] >= 0 && mesh.materials[mesh.sections[sections[t]].material].alpha != Material::Alpha::Opaque)
            m_hasOpacity[std::size_t(m_sheetOf[t])] = 1;
}

std::string Dressing::nameOf(const char* what) const {
    return m_sheets > 1 ? what + (" " + std::to_string(m_dressed.size())) : what;
}

void Dressing::addTexture(Material& material, const Textured& textured, std::string bytes, int size) {
    (material.*textured.use).texture = int(m_mesh.textures.size());
    Texture& texture = m_mesh.textures.emplace_back();
    texture.name = nameOf(textured.name);
    texture.mimeType = "image/png";
    texture.bytes = std::make_shared<const std::string>(std::move(bytes));
    texture.width = texture.height = size;
    texture.bits = m_settings.deep ? 16 : 8;
    texture.wrapU = texture.wrapV = Texture::Wrap::Clamp;
}

void Dressing::add(const Sheet& sheet, const Progress& progress) {
    const BakeChannels& channels = m_settings.channels;
    const bool hasOpacity = m_hasOpacity[m_dressed.size()] != 0;
    Material& material = m_dressed.emplace_back();
    material.name = nameOf("Baked");
    material.baseColor = {1, 1, 1, 1};
    material.metallic = channels.metallicRoughness ? 1 : 0;
    material.roughness = 1;
    struct Wanted {
        Textured textured;
        std::function<std::string()> make;
    };
    std::vector<Wanted> wanted;
    const auto want = [&](const Textured& textured, bool hasAlpha, auto value) {
        wanted.push_back({textured, [&sheet, hasAlpha, value, deep = m_settings.deep] {
                              return imageBytes(sheet, deep, hasAlpha, value);
                          }});
    };
    if (channels.baseColor || hasOpacity)
        want({&Material::baseColorTexture, "base color"}, hasOpacity,
             [hasOpacity, hasColor = channels.baseColor](const SheetTexel& t) {
                 return colorValues(hasColor ? t.baseColor : Vec3f(Vec3f::Ones()), hasOpacity ? double(t.opacity) : 1);
             });
    if (channels.normal)
        want({&Material::normalTexture, "normal"}, false,
             [](const SheetTexel& t) { return directionValues(t.normal); });
    // One image for all three, as glTF has it: occlusion in red, roughness in green, metalness in blue.
    if (channels.metallicRoughness || channels.occlusion)
        want({channels.metallicRoughness ? &Material::metallicRoughnessTexture : &Material::occlusionTexture,
              "occlusion roughness metalness"},
             false, [](const SheetTexel& t) {
                 return Values{double(t.occlusion), double(t.roughness), double(t.metallic), 1};
             });
    if (channels.emission && anyShines(sheet)) {
        material.emission = {1, 1, 1};
        want({&Material::emissionTexture, "emission"}, false,
             [](const SheetTexel& t) { return colorValues(t.emission, 1); });
    }
    std::vector<std::string> bytes(wanted.size());
    parallelFor(
        wanted.size(),
        [&](std::size_t i) {
            progress.check();
            bytes[i] = wanted[i].make();
        },
        1);
    for (std::size_t i = 0; i < wanted.size(); ++i)
        addTexture(material, wanted[i].textured, std::move(bytes[i]), sheet.size);
    if (channels.occlusion && channels.metallicRoughness) material.occlusionTexture = material.metallicRoughnessTexture;
    progress.at(1);
}

void Dressing::finish() {
    // What light passes through is drawn in another way, and keeps a material of its own with the same images; so does
    // what is cut out, and what is seen from both sides.
    using Key = std::pair<int, DrawnAs>;
    std::map<Key, std::uint32_t> numberOf;
    std::map<std::uint32_t, std::uint32_t> keptNumber;  // of those that lie on no sheet
    const std::vector<std::uint16_t> sections = sectionOfTriangles(m_mesh);
    const auto materialOf = [&](TriangleId t) { return m_mesh.sections[sections[t]].material; };
    const auto keyOf = [&](TriangleId t) {
        return Key(m_sheetOf[t],
                   DrawnAs(m_mesh.materials[materialOf(t)], m_hasOpacity[std::size_t(m_sheetOf[t])] != 0));
    };
    for (TriangleId t = 0; t < m_sheetOf.size(); ++t)
        if (m_sheetOf[t] >= 0)
            numberOf.try_emplace(keyOf(t), 0);
        else
            keptNumber.try_emplace(materialOf(t), 0);
    std::vector<Material> materials;
    for (auto& [key, number] : numberOf) {
        number = std::uint32_t(materials.size());
        Material& own = materials.emplace_back(m_dressed[std::size_t(key.first)]);
        own.alpha = key.second.alpha;
        own.doubleSided = key.second.doubleSided;
        own.alphaCutoff = key.second.cutoff;
        if (own.alpha == Material::Alpha::Blend) own.name += ", transparent";
        if (own.alpha == Material::Alpha::Mask) own.name += ", cut out";
        if (own.doubleSided) own.name += ", both sides";
    }
    for (auto& [before, number] : keptNumber) {
        number = std::uint32_t(materials.size());
        materials.push_back(m_mesh.materials[before]);
    }
    std::vector<std::uint32_t> chosen(m_sheetOf.size());
    for (TriangleId t = 0; t < m_sheetOf.size(); ++t)
        chosen[t] = m_sheetOf[t] >= 0 ? numberOf[keyOf(t)] : keptNumber[materialOf(t)];
    groupByMaterial(m_mesh, chosen, m_settings.joinParts);
    m_mesh.materials = std::move(materials);
    dropUnusedTextures(m_mesh);
    // The base colour has them.
    if (keptNumber.empty()) m_mesh.colors.clear();
    m_mesh.wantsTangents = m_settings.channels.normal || (m_mesh.wantsTangents && !keptNumber.empty());
}

std::vector<ExtraImage> extraImages(const Sheet& sheet, const DressSettings& settings, int number, double heightSpan) {
    std::vector<ExtraImage> extras;
    if (settings.channels.height)
        extras.push_back({"height", number, imageBytes(sheet, settings.deep, false, [&](const SheetTexel& t) {
                              const double v = 0.5 + 0.5 * double(t.height) / heightSpan;
                              return Values{v, v, v, 1};
                          })});
    if (settings.channels.objectNormal)
        extras.push_back({"object-normal", number, imageBytes(sheet, settings.deep, false, [](const SheetTexel& t) {
                              return directionValues(t.objectNormal);
                          })});
    if (settings.channels.misses) extras.push_back({"misses", number, missesOf(sheet)});
    return extras;
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

}  // namespace um
