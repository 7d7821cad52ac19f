#pragma once
/// Meshes in files: one call to read and one to write, whatever the format.
#include "base/Progress.h"
#include "mesh/Mesh.h"

#include <filesystem>
#include <span>
#include <string_view>

namespace um {

/// From Collada on they are only read.
enum class MeshFormat { Obj, Ply, Stl, Gltf, Glb, Collada, X3d, Off, ThreeMf };

struct MeshFile {
    Mesh mesh;
    MeshFormat format = MeshFormat::Obj;
    /// What was lost or had to be guessed, a sentence each: a material file is missing, lines were left out …
    std::vector<std::string> notes;
    /// What was done that loses nothing: polygons cut into triangles.
    std::vector<std::string> remarks;
    /// Files beside it that it is made of too: materials, textures, buffers, each once; also those that were looked
    /// for and are missing, since they would change it.
    std::vector<std::filesystem::path> companions;

    void addCompanion(const std::filesystem::path& path);
};

/// Reads OBJ (with MTL), PLY, STL, glTF, GLB, COLLADA, X3D, OFF or 3MF: by content where it can be told, else by
/// extension in any case. Polygons are triangulated, triangle soups welded; units and axes stay as they are.
/// @throws FileError  if it cannot be read, is broken, or is of no known format
/// @throws Cancelled
MeshFile readMesh(const std::filesystem::path& path, const Progress& progress);

/// The hash of all that a mesh is made of, wherever that lies; without companions that of the file alone.
/// @param companions  as reading it said; one that is missing or cannot be read counts as such
/// @throws FileError  if the file itself cannot be read
/// @throws Cancelled
std::string hashMeshFile(const std::filesystem::path& path, std::span<const std::filesystem::path> companions,
                         const Progress& progress);

/// Writes the format of the extension: .obj (and an .mtl beside it), .ply and .stl (binary), .gltf (self-contained),
/// .glb.
/// @throws FileError  if it cannot be written; what was there before stays
/// @throws Cancelled
void writeMesh(const Mesh& mesh, const std::filesystem::path& path, const Progress& progress);

/// The format of a file, by its bytes where they tell, else by its name.
/// @throws FileError  if it is none of those known
MeshFormat formatOf(const std::filesystem::path& path, std::string_view text);

/// The format that a file of this name is written in, by its extension in any case.
/// @throws FileError  naming the extensions that can be used
MeshFormat formatOfExtension(const std::filesystem::path& path);

/// Whether files named like this say which axis points up: y in glTF, COLLADA and X3D. The others do not.
bool saysWhatIsUp(const std::filesystem::path& path);

/// Of the files that can be read, without the point: "obj", "ply" …
std::span<const std::string_view> readableExtensions();

/// "OBJ", "PLY" …
std::string formatName(MeshFormat format);

}  // namespace um
