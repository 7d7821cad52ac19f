#pragma once
/// Writing a chain as what an engine reads: files, with the data by which it switches, and a manifest of all of it.
#include "chain/Chain.h"
#include "files/Gltf.h"
#include "measure/Pop.h"
#include "mesh/Placement.h"

namespace um {

struct DeliverySettings {
    std::string format = "glb";             ///< glb, gltf, obj, ply or stl
    std::string pattern = "{name}_lod{n}";  ///< of the file names; / makes subfolders
    bool oneFile = false;                   ///< all levels in one GLB or glTF
    bool drawOrder = true;                  ///< triangles and vertices in the order that graphics cards like
    GltfPacking packing = GltfPacking::None;
    Placement placement;

    bool operator==(const DeliverySettings&) const = default;
};

/// @throws InputError  if it is not one of those above
GltfPacking parsePacking(std::string_view text);  ///< `none`, `quantised`, `draco`
Pivot parsePivot(std::string_view text);          ///< `kept`, `ground`, `centre`

/// What is delivered.
struct Delivery {
    std::string name;  ///< of the asset
    std::size_t sourceTriangles = 0;
    Recipe recipe;
    Chain chain;
    std::string madeFrom;  ///< by what it can be told later that it is up to date; empty where nobody asks
    std::vector<std::string> sourceCompanions;  ///< files that the source is made of too, from its folder
};

struct DeliveredFile {
    std::filesystem::path file;  ///< from the folder
    std::size_t bytes = 0;
    std::size_t plainBytes = 0;  ///< what it would have without packing; the same where it is not packed
    std::string hash;
};

struct Delivered {
    std::vector<DeliveredFile> files;  ///< one for each level, or a single one
    std::filesystem::path manifest;    ///< from the folder
    std::string manifestText;

    double bytes() const;
    double plainBytes() const;
};

/// The names that files would have, one for each level (the same for all in one file).
/// @throws InputError  if the format is none, cannot hold several levels or be packed, or names would clash
std::vector<std::filesystem::path> deliveryNames(const Delivery& delivery, const DeliverySettings& settings);

/// Writes all files, then the manifest, each as a whole or not at all.
/// @throws InputError  as above; FileError, MeshError, Cancelled
Delivered deliver(const Delivery& delivery, const std::filesystem::path& folder, const DeliverySettings& settings,
                  const Progress& progress);

/// Whether a manifest is there that was made from the same, and all its files are as it says.
bool isUpToDate(const std::filesystem::path& folder, const std::string& name, const std::string& madeFrom);
/// What the source of a manifest was made of besides its file, from its folder; nothing where there is no manifest.
std::vector<std::string> companionsOfDelivered(const std::filesystem::path& folder, const std::string& name);
/// The manifest's name for an asset, from the folder.
std::filesystem::path manifestName(const std::string& name);

/// The chain as JSON: levels with their files, counts, switch distances, screen sizes, evidence, pops and hashes.
std::string manifestJson(const Delivery& delivery, const DeliverySettings& settings,
                         const std::vector<DeliveredFile>& files, const std::vector<Pop>& pops);

}  // namespace um
