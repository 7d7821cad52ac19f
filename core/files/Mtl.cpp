#include "files/Mtl.h"

#include "base/Error.h"
#include "base/File.h"
#include "base/Parallel.h"
#include "base/Units.h"
#include "files/Image.h"
#include "files/PlainText.h"
#include "files/Text.h"
#include "files/TextureFile.h"
#include "files/TextureMix.h"
#include "files/TextWriter.h"

#include <algorithm>
#include <cmath>
#include <tuple>

namespace um {
namespace {

std::string oneWord(std::string name) {
    std::replace_if(
        name.begin(), name.end(), [](unsigned char c) { return c <= ' ' || c == '/' || c == '\\'; }, '_');
    return name.empty() ? "unnamed" : name;
}

struct Slot {
    const char *word, *written;
    TextureUse Material::*use;
};

// Textures that stand for one property alone, in small letters. Height maps have no place of their own in our
// materials.
constexpr Slot slots[] = {{"map_kd", "map_Kd", &Material::baseColorTexture},
                          {"norm", "norm", &Material::normalTexture},
                          {"map_ke", "map_Ke", &Material::emissionTexture}};

// What else a material names; it is worked into its textures when all of it is known.
struct Extra {
    std::filesystem::path baseColor, bump, roughness, metalness, opacity;
    float bumpStrength = 1;
};

// The number behind an option such as -bm; 1 where it is not there.
float optionOf(std::string_view rest, std::string_view option) {
    LineCursor line(rest);
    while (!line.atEnd())
        if (line.word() == option) return line.number().value_or(1.0f);
    return 1;
}

class MaterialReader {
public:
    MaterialReader(const std::filesystem::path& path, MeshFile& result) : m_path(path), m_result(result) {}

    void read(std::map<std::string, std::uint32_t>& known, const Progress& progress);

private:
    // What images that belong together come to, before it is known which textures of the mesh they are.
    struct Mixed {
        std::string metalRoughness, baseColor;  // PNG
        Material::Alpha alpha = Material::Alpha::Opaque;
        bool isBumpOfNormals = false;
        std::string problem;  // a sentence
    };

    std::filesystem::path find(std::string_view rest);
    int number(const std::filesystem::path& file);
    int add(const std::string& bytes, const std::string& name);
    void parse(std::map<std::string, std::uint32_t>& known);
    void takeLine(std::string_view word, LineCursor& line, Material& material, Extra& extra);
    Mixed mix(const Material& material, const Extra& extra) const;
    void put(Material& material, const Extra& extra, const Mixed& mixed);
    void readTextures(const Progress& progress);
    void note() const;

    const std::filesystem::path& m_path;
    MeshFile& m_result;
    const std::size_t m_firstTexture = m_result.mesh.textures.size();
    std::vector<std::filesystem::path> m_files;  // of the textures, from the first one on
    std::vector<Extra> m_extras;                 // of each material, from the file's first one on
    std::size_t m_missing = 0, m_otherMaps = 0, m_bumpsOfNormals = 0;
    std::string m_firstMissing;
};

// What stands behind options is the file, and may hold blanks. One that was moved together with its mesh lies beside
// it, whatever folder is named.
std::filesystem::path MaterialReader::find(std::string_view rest) {
    std::string text(rest);
    std::replace(text.begin(), text.end(), '\\', '/');
    if (text.empty()) return {};
    std::vector<std::string> names;
    for (std::size_t at = 0; at != text.npos; at = text.find_first_not_of(" \t", text.find_first_of(" \t", at)))
        names.push_back(text.substr(at));
    std::vector<std::filesystem::path> places;
    for (const std::string& name : names) places.push_back(m_path.parent_path() / name);
    for (const std::string& name : names)
        places.push_back(m_path.parent_path() / name.substr(name.find_last_of('/') + 1));
    const std::filesystem::path found = findImageFile(m_result, places);
    if (found.empty() && m_missing++ == 0) m_firstMissing = names.back();
    return found;
}

int MaterialReader::number(const std::filesystem::path& file) {
    if (file.empty()) return -1;
    auto known = std::find(m_files.begin(), m_files.end(), file);
    if (known == m_files.end()) known = m_files.insert(known, file);
    return int(m_firstTexture) + int(known - m_files.begin());
}

// Behind those in files.
int MaterialReader::add(const std::string& bytes, const std::string& name) {
    const auto info = imageInfo(bytes);
    std::vector<Texture>& textures = m_result.mesh.textures;
    textures.push_back(
        {name, info->mimeType, std::make_shared<const std::string>(bytes), info->width, info->height, info->bits});
    return int(textures.size()) - 1;
}

MaterialReader::Mixed MaterialReader::mix(const Material& material, const Extra& extra) const {
    Mixed mixed;
    const auto decoded = [](const std::filesystem::path& file) -> std::optional<Image> {
        if (file.empty()) return std::nullopt;
        return decodeImageFile(file);
    };
    try {
        const auto roughness = decoded(extra.roughness), metalness = decoded(extra.metalness);
        if (roughness || metalness)
            mixed.metalRoughness =
                pngOf(metalRoughness(roughness ? &*roughness : nullptr, metalness ? &*metalness : nullptr));
        if (!material.normalTexture)
            if (const auto bump = decoded(extra.bump)) mixed.isBumpOfNormals = looksLikeNormals(*bump);
        if (const auto opacity = decoded(extra.opacity)) {
            if (extra.opacity == extra.baseColor) {
                mixed.alpha = alphaKind(*opacity);
            } else if (const auto color = decoded(extra.baseColor)) {
                const Image both = withOpacity(*color, *opacity);
                mixed.alpha = alphaKind(both);
                if (mixed.alpha != Material::Alpha::Opaque) mixed.baseColor = pngOf(both);
            }
        }
    } catch (const Error& error) {
        mixed.problem = error.what();  // damaged; what could be made of the others stays
    }
    return mixed;
}

void MaterialReader::put(Material& material, const Extra& extra, const Mixed& mixed) {
    if (!mixed.metalRoughness.empty()) {
        material.metallicRoughnessTexture.texture = add(mixed.metalRoughness, material.name + " metal roughness");
        // The maps say it all.
        if (!extra.roughness.empty()) material.roughness = 1;
        if (!extra.metalness.empty()) material.metallic = 1;
    }
    if (!mixed.baseColor.empty())
        material.baseColorTexture.texture = add(mixed.baseColor, extra.baseColor.stem().string() + " cut out");
    if (mixed.alpha != Material::Alpha::Opaque) material.alpha = mixed.alpha;
    // Exporters that write a map leave the colour it is multiplied by black.
    const auto isBlack = [](const float* color) { return color[0] == 0 && color[1] == 0 && color[2] == 0; };
    if (material.baseColorTexture && isBlack(material.baseColor.data()))
        std::fill_n(material.baseColor.begin(), 3, 1.0f);
    if (material.emissionTexture && isBlack(material.emission.data())) material.emission.fill(1);
}

// Side by side: what is no PNG or JPEG is written as PNG.
void MaterialReader::readTextures(const Progress& progress) {
    std::vector<Texture>& textures = m_result.mesh.textures;
    textures.resize(m_firstTexture + m_files.size());
    parallelFor(
        m_files.size(),
        [&](std::size_t i) {
            progress.check();
            textures[m_firstTexture + i] = textureOfFile(m_files[i]);
        },
        1);
}

void MaterialReader::takeLine(std::string_view word, LineCursor& line, Material& material, Extra& extra) {
    const auto color = [&](float* to) {
        for (int i = 0; i < 3; ++i)
            if (const auto value = line.number()) to[i] = *value;
    };
    if (word == "Kd") color(material.baseColor.data());
    if (word == "Ke") color(material.emission.data());
    if (word == "d") material.baseColor[3] = line.number().value_or(1.0f);
    if (word == "Tr") material.baseColor[3] = 1.0f - line.number().value_or(0.0f);
    if (word == "d" || word == "Tr")
        material.alpha = material.baseColor[3] < 1 ? Material::Alpha::Blend : Material::Alpha::Opaque;
    // A shininess exponent as the roughness that gives a highlight of the same width.
    if (word == "Ns") material.roughness = std::sqrt(2.0f / (std::max(0.0f, line.number().value_or(0.0f)) + 2.0f));
    if (word == "Pr") material.roughness = line.number().value_or(1.0f);
    if (word == "Pm") material.metallic = line.number().value_or(0.0f);
    const std::string map = lowered(std::string(word));
    const Slot* slot = std::find_if(std::begin(slots), std::end(slots), [&](const Slot& s) { return map == s.word; });
    if (slot != std::end(slots)) {
        const std::filesystem::path image = find(line.rest());
        (material.*slot->use).texture = number(image);
        if (slot->use == &Material::baseColorTexture) extra.baseColor = image;
    } else if (map == "map_pr") {
        extra.roughness = find(line.rest());
    } else if (map == "map_pm") {
        extra.metalness = find(line.rest());
    } else if (map == "map_d") {
        extra.opacity = find(line.rest());
    } else if (map == "map_bump" || map == "bump") {
        const std::string_view options = line.rest();
        extra.bump = find(options);
        extra.bumpStrength = optionOf(options, "-bm");
    } else if (map.starts_with("map_") || map == "disp") {
        ++m_otherMaps;
    }
}

void MaterialReader::parse(std::map<std::string, std::uint32_t>& known) {
    const MappedFile file(m_path);
    const PlainText plain(m_path, file.text());
    std::vector<Material>& materials = m_result.mesh.materials;
    for (std::string_view rest = plain.view(); !rest.empty();) {
        LineCursor line(um::takeLine(rest, Lines::Continued));
        const std::string_view word = line.word();
        if (word == "newmtl") {
            const std::string name(line.rest());
            known.emplace(name, std::uint32_t(materials.size()));
            materials.emplace_back().name = name;
            materials.back().roughness = 1;
            m_extras.emplace_back();
        } else if (!m_extras.empty()) {
            takeLine(word, line, materials.back(), m_extras.back());
        }
    }
}

void MaterialReader::read(std::map<std::string, std::uint32_t>& known, const Progress& progress) {
    const std::size_t first = m_result.mesh.materials.size();
    parse(known);
    const std::span<Material> materials = std::span(m_result.mesh.materials).subspan(first);
    std::vector<Mixed> mixed(materials.size());
    parallelFor(
        mixed.size(),
        [&](std::size_t i) {
            progress.check();
            mixed[i] = mix(materials[i], m_extras[i]);
        },
        1);
    for (std::size_t i = 0; i < mixed.size(); ++i) {
        if (!mixed[i].problem.empty())
            m_result.notes.push_back(mixed[i].problem);
        else if (!mixed[i].isBumpOfNormals && !m_extras[i].bump.empty())
            ++m_otherMaps;
        if (!mixed[i].isBumpOfNormals) continue;
        materials[i].normalTexture.texture = number(m_extras[i].bump);
        materials[i].normalTexture.strength = m_extras[i].bumpStrength;
        ++m_bumpsOfNormals;
    }
    readTextures(progress);
    for (std::size_t i = 0; i < mixed.size(); ++i) put(materials[i], m_extras[i], mixed[i]);
    note();
}

void MaterialReader::note() const {
    if (m_missing > 0)
        m_result.notes.push_back(countOf(m_missing, "texture is", "textures are") +
                                 " missing beside the file, or no image (" + shown(m_firstMissing) +
                                 (m_missing > 1 ? " and others" : "") + "), and left out.");
    if (m_bumpsOfNormals > 0)
        m_result.remarks.push_back(countOf(m_bumpsOfNormals, "bump map", "bump maps") +
                                   " of the materials held normals and went on as such.");
    if (m_otherMaps > 0)
        m_result.notes.push_back(
            "Height and other maps of the materials are not carried along; base colour, normals, roughness, metalness, "
            "opacity and emission are.");
}

}  // namespace

void readMaterialFile(const std::filesystem::path& path, MeshFile& result, std::map<std::string, std::uint32_t>& known,
                      const Progress& progress) {
    MaterialReader(path, result).read(known, progress);
}

std::string materialWord(const Material& material) {
    return oneWord(material.name);
}

void writeMaterialFile(const Mesh& mesh, const std::filesystem::path& path) {
    std::vector<std::string> files, stems;
    for (std::size_t i = 0; i < mesh.textures.size(); ++i) {
        const Texture& texture = mesh.textures[i];
        stems.push_back(oneWord(path.stem().string() + "_" + std::to_string(i) + "_" + texture.name));
        files.push_back(stems.back() + (texture.mimeType == "image/png" ? ".png" : ".jpg"));
        writeWhole(path.parent_path() / files.back(), [&](FileWriter& writer) { writer.write(*texture.bytes); });
    }
    // The format keeps roughness and metalness apart, and a map says all of it, without a factor.
    using Mixed = std::tuple<int, float, float>;
    const auto mixedOf = [](const Material& material) {
        return Mixed(material.metallicRoughnessTexture.texture, material.roughness, material.metallic);
    };
    std::map<Mixed, std::array<std::string, 2>> apart;
    for (const Material& material : mesh.materials) {
        const int number = material.metallicRoughnessTexture.texture;
        if (number < 0 || apart.contains(mixedOf(material))) continue;
        const std::string stem = stems[std::size_t(number)] + (apart.empty() ? "" : "_" + std::to_string(apart.size()));
        try {
            const Image both = decodeImage(*mesh.textures[std::size_t(number)].bytes, stem);
            const std::array<std::string, 2> names = {stem + "_roughness.png", stem + "_metalness.png"};
            const std::array<float, 2> factors = {material.roughness, material.metallic};
            for (std::size_t i = 0; i < 2; ++i)
                writeWhole(path.parent_path() / names[i],
                           [&](FileWriter& writer) { writer.write(pngOf(channelOf(both, i + 1, factors[i]))); });
            apart[mixedOf(material)] = names;
        } catch (const MeshError&) {
            // A damaged one stays as it is; nobody could see it either.
        }
    }
    writeWhole(path, [&](FileWriter& writer) {
        TextWriter out(writer);
        for (const Material& material : mesh.materials) {
            out << "newmtl " << materialWord(material) << "\nKd " << material.baseColor[0] << " "
                << material.baseColor[1] << " " << material.baseColor[2] << "\nd " << material.baseColor[3] << "\nKe "
                << material.emission[0] << " " << material.emission[1] << " " << material.emission[2] << "\nPr "
                << material.roughness << "\nPm " << material.metallic << "\n";
            for (const Slot& slot : slots)
                if (const TextureUse& use = material.*slot.use)
                    out << slot.written << " " << files[std::size_t(use.texture)] << "\n";
            if (const auto maps = apart.find(mixedOf(material)); maps != apart.end())
                out << "map_Pr " << maps->second[0] << "\nmap_Pm " << maps->second[1] << "\n";
            if (material.baseColorTexture && material.alpha != Material::Alpha::Opaque)
                out << "map_d " << files[std::size_t(material.baseColorTexture.texture)] << "\n";
            out << "\n";
        }
    });
}

}  // namespace um
