#pragma once
/// Export of a chain for engines: files, switch data and a manifest.
#include "chain/Chain.h"
#include "files/Gltf.h"
#include "measure/Pop.h"
#include "mesh/Placement.h"

namespace um {

struct DeliverySettings {
    std::string format = "glb";             ///< glb, gltf, obj, ply or stl
    std::string pattern = "{name}_lod{n}";  ///< of the file names; / makes subfolders
    bool oneFile = false;                   ///< all levels in one GLB or glTF
    bool drawOrder = true;                  ///< triangles and vertices ordered for graphics cards
    GltfPacking packing = GltfPacking::None;
    Placement placement;

    bool operator==(const DeliverySettings&) const = default;
};

/// @throws InputError  if it is not one of those above
GltfPacking parsePacking(std::string_view text);  ///< `none`, `quantised`, `draco`
Pivot parsePivot(std::string_view text);          ///< `kept`, `ground`, `centre`

/// The chain to export.
struct Delivery {
    std::string name;  ///< of the asset
    std::size_t sourceTriangles = 0;
    Recipe recipe;
    Chain chain;
    std::string madeFrom;  ///< names all inputs, to tell later whether the export is up to date; may be empty
    std::vector<std::string> sourceCompanions;  ///< files that the source is made of too, from its folder
};

struct DeliveredFile {
    std::filesystem::path file;  ///< from the folder
    std::size_t bytes = 0;
    std::size_t plainBytes = 0;  ///< size without packing
    std::string hash;
};

struct Delivered {
    std::vector<DeliveredFile> files;  ///< one for each level, or a single one
    std::filesystem::path manifest;    ///< from the folder
    std::string manifestText;

    double bytes() const;
    double plainBytes() const;
};

/// The file names, one for each level (all equal for one file).
/// @throws InputError  if the format is none, cannot hold several levels or be packed, or names would clash
std::vector<std::filesystem::path> deliveryNames(const Delivery& delivery, const DeliverySettings& settings);

/// Writes all files, then the manifest, each as a whole or not at all.
/// @throws InputError  as above; FileError, MeshError, Cancelled
Delivered deliver(const Delivery& delivery, const std::filesystem::path& folder, const DeliverySettings& settings,
                  const Progress& progress);

/// Whether a manifest with the same inputs exists and its files are unchanged.
bool isUpToDate(const std::filesystem::path& folder, const std::string& name, const std::string& madeFrom);
/// The further files of the source in a manifest, relative to its folder; nothing without a manifest.
std::vector<std::string> companionsOfDelivered(const std::filesystem::path& folder, const std::string& name);
/// The manifest's name for an asset, from the folder.
std::filesystem::path manifestName(const std::string& name);

/// The chain as JSON: levels with their files, counts, switch distances, screen sizes, evidence, pops and hashes.
std::string manifestJson(const Delivery& delivery, const DeliverySettings& settings,
                         const std::vector<DeliveredFile>& files, const std::vector<Pop>& pops);

}  // namespace um
