#pragma once
/// Carrying what a source looks like over to the textures of a level.
#include "bake/Cage.h"
#include "bake/SurfaceMaterial.h"

#include <array>
#include <functional>

namespace um {

struct Sheet;

struct TransferSettings {
    int size = 2048;          ///< texels on a side of the sheet
    int samples = 2;          ///< in each direction of a texel: 1, 2 or 4
    bool partsApart = false;  ///< a part of the level sees only the source's part of the same name
    int occlusionRays = 0;    ///< traced for each sample; 0 takes what the source's own textures say
    /// Told of each square of the sheet that is done: its upper left texel, and how many along a side. Called from
    /// several threads at once; nothing else of the sheet may be looked at then.
    std::function<void(const Sheet& sheet, int left, int top, int across)> tileDone;
    double occlusionDistance = 0;  ///< so far things keep light away; 0 for a tenth of the source's diagonal
};

/// What a texel holds; the mean over its samples. Colours are linear light.
struct SheetTexel {
    Vec3f baseColor = Vec3f::Zero();
    Vec3f normal = Vec3f::Zero();  ///< in the level's tangent space; not unit length where samples differ
    Vec3f objectNormal = Vec3f::Zero();
    Vec3f emission = Vec3f::Zero();
    float opacity = 0, metallic = 0, roughness = 0, occlusion = 0;
    float height = 0;  ///< of the source above the level, in the mesh's unit
};

/// The same in half the room, for large sheets: values in 16 bits, colours and emission up to 1.
class PackedTexel {
public:
    PackedTexel() = default;
    explicit PackedTexel(const SheetTexel& texel);
    SheetTexel unpacked() const;

private:
    std::array<std::uint16_t, 3> m_baseColor{}, m_emission{};
    std::array<std::int16_t, 3> m_normal{}, m_objectNormal{};
    std::uint16_t m_opacity = 0, m_metallic = 0, m_roughness = 0, m_occlusion = 0;
    float m_height = 0;
};

struct Sheet {
    enum class State : std::uint8_t { Empty, Hit, Missed };

    int size = 0;
    std::vector<PackedTexel> texels;      ///< rows from the top
    std::vector<State> states;            ///< Missed where the level is, and no sample found the source
    std::size_t covered = 0, missed = 0;  ///< texels

    std::size_t placeOf(int x, int y) const { return std::size_t(y) * std::size_t(size) + std::size_t(x); }
};

/// Rays go both ways from each sample of the level's surface, along the cage's directions and as deep as it is; the
/// nearest surface that faces the same way is what the texel shows.
/// @param level  with UVs from 0 to 1 and normals
/// @param lying  the triangles that lie on this sheet, no two of which share a place
/// @throws MeshError  if the level has no UVs or no normals
/// @throws Cancelled
Sheet transfer(const SurfaceMaterial& source, const Mesh& level, const std::vector<TriangleId>& lying, const Cage& cage,
               const TransferSettings& settings, const Progress& progress);

/// A mesh's own look on other UVs: each sample shows the place of the same triangle.
/// @param mesh  the triangles of `source`, in their order, with UVs as above and normals
/// @throws MeshError  if the mesh has no UVs or no normals
/// @throws Cancelled
Sheet repaint(const SurfaceMaterial& source, const Mesh& mesh, const std::vector<TriangleId>& lying,
              const TransferSettings& settings, const Progress& progress);

/// The triangles of each sheet, by the number of the sheet that each lies on; numbers below 0 are of none.
std::vector<std::vector<TriangleId>> trianglesBySheet(const std::vector<int>& sheetOf, int sheets);

/// Fills what is empty or missed with what is nearest, so that neither filtering nor smaller copies of the sheet bring
/// in anything else. The states stay.
void dilate(Sheet& sheet);

}  // namespace um
