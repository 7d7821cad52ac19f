#pragma once
/// Putting the images of sheets in the place of a mesh's materials.
#include "bake/Transfer.h"

#include <string_view>

namespace um {

/// What is written of a sheet.
struct BakeChannels {
    bool baseColor = true, normal = true, metallicRoughness = true, occlusion = true, emission = true, opacity = true;
    bool height = false, objectNormal = false, misses = false;  ///< files of their own, which the material does not use

    bool operator==(const BakeChannels&) const = default;
};

/// `base,normal,roughness,occlusion,emission,opacity,height,object-normal,misses`, in any order.
/// @throws InputError  naming those that there are
BakeChannels parseBakeChannels(std::string_view text);

/// An image beside the level, which its material does not use.
struct ExtraImage {
    std::string name;  ///< "height", "object-normal", "misses"
    int sheet = 0;
    std::string bytes;  ///< PNG
};

struct DressSettings {
    BakeChannels channels;
    bool joinParts = false;  ///< one part, and so a single draw call a sheet, unless something is transparent
    bool deep = false;       ///< 16 bits a value instead of 8
};

/// In what way a material is drawn, apart from how it looks.
struct DrawnAs {
    Material::Alpha alpha = Material::Alpha::Opaque;
    bool doubleSided = false;
    float cutoff = 0.5f;  ///< of Mask

    DrawnAs() = default;
    DrawnAs(const Material& material, bool keepsOpacity);
    auto operator<=>(const DrawnAs&) const = default;
};

/// Dresses a mesh, sheet by sheet, so that no more than one of them need be held. What is transparent, cut out or seen
/// from both sides keeps a material of its own, with the images of its sheet; what lies on no sheet stays as it is.
class Dressing {
public:
    /// @param sheetOf  of each triangle; below 0 for those that lie on none
    /// @param sheets   how many there are
    Dressing(Mesh& mesh, std::vector<int> sheetOf, int sheets, const DressSettings& settings);

    /// The images of the next sheet. @throws Cancelled
    void add(const Sheet& sheet, const Progress& progress);
    /// Once all are there: the mesh gets its materials, and its triangles are grouped anew.
    void finish();

private:
    struct Textured {
        TextureUse Material::*use;
        const char* name;
    };
    void addTexture(Material& material, const Textured& textured, std::string bytes, int size);
    std::string nameOf(const char* what) const;

    Mesh& m_mesh;
    const std::vector<int> m_sheetOf;
    const int m_sheets;
    const DressSettings m_settings;
    std::vector<std::uint8_t> m_hasOpacity;  // for each sheet
    std::vector<Material> m_dressed;         // likewise, as far as they are
};

/// The images of a sheet that no material uses. Heights go from `heightSpan` below (0) to as much above (1).
std::vector<ExtraImage> extraImages(const Sheet& sheet, const DressSettings& settings, int number, double heightSpan);

}  // namespace um
