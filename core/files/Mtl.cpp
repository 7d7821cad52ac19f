#include "files/Mtl.h"

#include "base/Error.h"
#include "base/Units.h"
#include "files/Image.h"
#include "files/Text.h"
#include "files/TextWriter.h"

#include <algorithm>
#include <cmath>

namespace um {
namespace {

std::string oneWord(std::string name) {
    std::replace_if(
        name.begin(), name.end(), [](unsigned char c) { return c <= ' ' || c == '/' || c == '\\'; }, '_');
    return name.empty() ? "unnamed" : name;
}

struct Slot {
    const char* word;
    TextureUse Material::*use;
};

// Height maps and lone roughness or metalness have no place of their own in our materials.
constexpr Slot slots[] = {{"map_Kd", &Material::baseColorTexture},
                          {"norm", &Material::normalTexture},
                          {"map_Ke", &Material::emissionTexture}};

class MaterialReader {
public:
    MaterialReader(const std::filesystem::path& path, MeshFile& result) : m_path(path), m_result(result) {}

    void read(std::map<std::string, std::uint32_t>& known);

private:
    int bringTexture(std::string_view rest);

    const std::filesystem::path& m_path;
    MeshFile& m_result;
    std::map<std::string, int> m_textures;  // by their file's name; -1 for what cannot be read
    std::size_t m_missing = 0, m_otherMaps = 0;
    std::string m_firstMissing;
};

// What stands behind options is the file; names with blanks are tried first. A file that was moved together with its
// mesh lies beside it, whatever folder is named.
int MaterialReader::bringTexture(std::string_view rest) {
    std::string name(rest);
    std::replace(name.begin(), name.end(), '\\', '/');
    const std::string lastWord = name.substr(name.find_last_of(" \t") + 1);
    const auto bare = [](const std::string& path) { return path.substr(path.find_last_of('/') + 1); };
    std::error_code ignored;
    const auto isFile = [&](const std::string& one) {
        return !one.empty() && std::filesystem::is_regular_file(m_path.parent_path() / one, ignored);
    };
    const std::string choices[] = {name, lastWord, bare(name), bare(lastWord)};
    const auto found = std::find_if(std::begin(choices), std::end(choices), isFile);
    name = found != std::end(choices) ? *found : lastWord;
    const auto known = m_textures.find(name);
    if (known != m_textures.end()) return known->second;
    int number = -1;
    if (isFile(name)) {
        const MappedFile file(m_path.parent_path() / name);
        if (const auto info = imageInfo(file.text())) {
            m_result.mesh.textures.push_back({std::filesystem::path(name).stem().string(), info->mimeType,
                                              std::make_shared<const std::string>(file.text()), info->width,
                                              info->height, info->bits});
            number = int(m_result.mesh.textures.size()) - 1;
        }
    }
    if (number < 0 && m_missing++ == 0) m_firstMissing = name;
    return m_textures[name] = number;
}

void MaterialReader::read(std::map<std::string, std::uint32_t>& known) {
    const MappedFile file(m_path);
    std::string_view rest = file.text();
    std::vector<Material>& materials = m_result.mesh.materials;
    bool hasAny = false;
    while (!rest.empty()) {
        LineCursor line(takeLine(rest, Lines::Continued));
        const std::string_view word = line.word();
        if (word == "newmtl") {
            const std::string name(line.rest());
            known.emplace(name, std::uint32_t(materials.size()));
            materials.emplace_back().name = name;
            materials.back().roughness = 1;
            hasAny = true;
            continue;
        }
        if (!hasAny) continue;
        Material& material = materials.back();
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
        const Slot* slot =
            std::find_if(std::begin(slots), std::end(slots), [&](const Slot& s) { return word == s.word; });
        if (slot != std::end(slots))
            (material.*slot->use).texture = bringTexture(line.rest());
        else if (word.starts_with("map_") || word == "bump" || word == "disp")
            ++m_otherMaps;
    }
    if (m_missing > 0)
        m_result.notes.push_back(countOf(m_missing, "texture is", "textures are") +
                                 " missing beside the file, or no PNG or JPEG (" + shown(m_firstMissing) +
                                 (m_missing > 1 ? " and others" : "") + "), and left out.");
    if (m_otherMaps > 0)
        m_result.notes.push_back(
            "Height, roughness and other maps of the materials are not carried along; base colour, "
            "normals and emission are.");
}

}  // namespace

void readMaterialFile(const std::filesystem::path& path, MeshFile& result,
                      std::map<std::string, std::uint32_t>& known) {
    MaterialReader(path, result).read(known);
}

std::string materialWord(const Material& material) {
    return oneWord(material.name);
}

void writeMaterialFile(const Mesh& mesh, const std::filesystem::path& path) {
    std::vector<std::string> files;
    for (std::size_t i = 0; i < mesh.textures.size(); ++i) {
        const Texture& texture = mesh.textures[i];
        files.push_back(oneWord(path.stem().string() + "_" + std::to_string(i) + "_" + texture.name) +
                        (texture.mimeType == "image/png" ? ".png" : ".jpg"));
        writeWhole(path.parent_path() / files.back(), [&](FileWriter& writer) { writer.write(*texture.bytes); });
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
                    out << slot.word << " " << files[std::size_t(use.texture)] << "\n";
            out << "\n";
        }
    });
}

}  // namespace um
