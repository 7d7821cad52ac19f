#include "files/MeshFile.h"

#include "base/Error.h"
#include "base/File.h"
#include "base/Units.h"
#include "files/Foreign.h"
#include "files/Gltf.h"
#include "files/Image.h"
#include "files/Obj.h"
#include "files/PlainText.h"
#include "files/Ply.h"
#include "files/Stl.h"
#include "mesh/Weld.h"

#include <algorithm>
#include <array>
#include <optional>

namespace um {
namespace {

std::optional<MeshFormat> formatByExtension(const std::filesystem::path& path) {
    const std::string extension = lowered(path.extension().string());
    if (extension == ".obj") return MeshFormat::Obj;
    if (extension == ".ply") return MeshFormat::Ply;
    if (extension == ".stl") return MeshFormat::Stl;
    if (extension == ".gltf") return MeshFormat::Gltf;
    if (extension == ".glb") return MeshFormat::Glb;
    if (extension == ".dae") return MeshFormat::Collada;
    if (extension == ".x3d") return MeshFormat::X3d;
    if (extension == ".off") return MeshFormat::Off;
    if (extension == ".3mf") return MeshFormat::ThreeMf;
    return std::nullopt;
}

std::optional<MeshFormat> formatByContent(std::string_view text) {
    if (text.starts_with("ply\n") || text.starts_with("ply\r")) return MeshFormat::Ply;
    if (text.starts_with("glTF")) return MeshFormat::Glb;
    if (looksLikeStl(text)) return MeshFormat::Stl;
    const std::size_t begin = text.find_first_not_of(" \t\r\n");
    if (begin != std::string_view::npos && text[begin] == '{' && text.substr(0, 1 << 16).find("\"asset\"") != text.npos)
        return MeshFormat::Gltf;
    return std::nullopt;
}

void noteDamagedTextures(MeshFile& result) {
    std::string first;
    std::size_t count = 0;
    for (const Texture& texture : result.mesh.textures)
        if (!isWholeImage(*texture.bytes) && count++ == 0) first = texture.name;
    if (count == 0) return;
    const std::string which = first.empty() ? "" : " (" + first + (count > 1 ? " and others)" : ")");
    result.notes.push_back(countOf(count, "texture is", "textures are") + " cut off" + which +
                           ", and may be shown plain; export it again, or copy it anew.");
}

// Of the extensions, those first ones that can be written, too.
constexpr std::size_t writable = 5;

// ".obj, .ply or .stl"
std::string listed(std::span<const std::string_view> extensions) {
    std::string text;
    for (std::size_t i = 0; i < extensions.size(); ++i) {
        if (i > 0) text += i + 1 < extensions.size() ? ", " : " or ";
        text += "." + std::string(extensions[i]);
    }
    return text;
}

bool isForeign(MeshFormat format) {
    return format > MeshFormat::Glb;
}

}  // namespace

MeshFormat formatOf(const std::filesystem::path& path, std::string_view text) {
    const auto byExtension = formatByExtension(path);
    const auto byContent = formatByContent(text);
    if (!byExtension && !byContent)
        throw FileError(path.string() + " is of no format known here; open a file ending in " +
                        listed(readableExtensions()) + ".");
    if (byExtension == MeshFormat::Gltf && !byContent) return MeshFormat::Gltf;
    return byContent.value_or(byExtension.value_or(MeshFormat::Obj));
}

MeshFile readMesh(const std::filesystem::path& path, const Progress& progress) {
    const MappedFile file(path);
    progress.check();
    const PlainText plain(path, file.text());
    const std::string_view text = plain.view();
    const auto byExtension = formatByExtension(path);
    const auto byContent = formatByContent(text);
    MeshFile result;
    result.format = formatOf(path, text);
    const Progress reading = progress.span(0, 0.95);
    switch (result.format) {
        case MeshFormat::Obj: readObj(path, text, result, reading); break;
        case MeshFormat::Ply: readPly(path, text, result, reading); break;
        case MeshFormat::Stl: readStl(path, text, result, reading); break;
        case MeshFormat::Gltf:
        case MeshFormat::Glb: readGltf(path, text, result, reading); break;
        default: readForeign(path, result, reading);
    }
    if (byContent && byExtension && byContent != byExtension)
        result.notes.push_back("The file is named like " + formatName(*byExtension) + " but holds " +
                               formatName(*byContent) + "; it was read as that.");
    noteDamagedTextures(result);
    try {
        ensureSections(result.mesh, path.stem().string());
        requireSound(result.mesh, path.string());
        requireUsableSize(result.mesh, path.string());
    } catch (const MeshError& error) {
        throw FileError(error.what());
    }
    progress.at(1);
    return result;
}

void MeshFile::addCompanion(const std::filesystem::path& path) {
    if (std::find(companions.begin(), companions.end(), path) == companions.end()) companions.push_back(path);
}

std::string hashMeshFile(const std::filesystem::path& path, std::span<const std::filesystem::path> companions,
                         const Progress& progress) {
    const auto share = [&](std::size_t file) { return double(file) / double(companions.size() + 1); };
    std::string hashes = hashFile(path, progress.span(0, share(1)));
    if (companions.empty()) return hashes;
    for (std::size_t i = 0; i < companions.size(); ++i) {
        std::error_code ignored;
        const bool isFile = std::filesystem::is_regular_file(companions[i], ignored);
        try {
            hashes += isFile ? hashFile(companions[i], progress.span(share(i + 1), share(i + 2))) : "-";
        } catch (const FileError&) {
            hashes += "-";  // empty, or not to be read
        }
    }
    return hashBytes({std::as_bytes(std::span(hashes))});
}

void writeMesh(const Mesh& mesh, const std::filesystem::path& path, const Progress& progress) {
    switch (formatOfExtension(path)) {
        case MeshFormat::Obj: writeObj(mesh, path, progress); break;
        case MeshFormat::Ply: writePly(mesh, path, progress); break;
        case MeshFormat::Stl: writeStl(mesh, path, progress); break;
        case MeshFormat::Gltf: writeGltf(mesh, path, false, progress); break;
        case MeshFormat::Glb: writeGltf(mesh, path, true, progress); break;
        default: break;  // formatOfExtension knows none of these
    }
}

MeshFormat formatOfExtension(const std::filesystem::path& path) {
    const auto format = formatByExtension(path);
    if (format && !isForeign(*format)) return *format;
    throw FileError("\"" + path.filename().string() + "\" " +
                    (format ? "is named like " + formatName(*format) + ", which is only read here"
                            : std::string("does not say a format")) +
                    "; let the name end in " + listed(readableExtensions().first(writable)) + ".");
}

bool saysWhatIsUp(const std::filesystem::path& path) {
    switch (formatByExtension(path).value_or(MeshFormat::Obj)) {
        case MeshFormat::Gltf:
        case MeshFormat::Glb:
        case MeshFormat::Collada:
        case MeshFormat::X3d: return true;
        default: return false;
    }
}

std::span<const std::string_view> readableExtensions() {
    static constexpr std::array<std::string_view, 9> extensions = {"obj", "ply", "stl", "gltf", "glb",
                                                                   "dae", "x3d", "off", "3mf"};
    return extensions;
}

std::string formatName(MeshFormat format) {
    switch (format) {
        case MeshFormat::Obj: return "OBJ";
        case MeshFormat::Ply: return "PLY";
        case MeshFormat::Stl: return "STL";
        case MeshFormat::Gltf: return "glTF";
        case MeshFormat::Glb: return "GLB";
        case MeshFormat::Collada: return "COLLADA";
        case MeshFormat::X3d: return "X3D";
        case MeshFormat::Off: return "OFF";
        case MeshFormat::ThreeMf: return "3MF";
    }
    return "";
}

}  // namespace um
