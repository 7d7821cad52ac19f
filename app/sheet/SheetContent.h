#pragma once
/// What a sheet shows: one value of a material's textures as a picture, and the charts that lie on it.
#include "app/viewport/Renderer.h"
#include "mesh/UvCharts.h"
#include "mesh/UvGrid.h"

#include <memory>
#include <QImage>
#include <QLineF>
#include <QString>

namespace um::app {

/// The values that a material's textures hold, each seen by itself.
enum class SheetValue { BaseColor, Opacity, Normal, Roughness, Metalness, Occlusion, Emission, Checker, Misses };

QString nameOf(SheetValue value);

/// Those that a material of the mesh has textures for; a checker always, misses if they are known.
std::vector<SheetValue> valuesOf(const Mesh& mesh, std::uint32_t material, bool knowsMisses);

/// Materials that show different textures, the first of each kind; materials without triangles are left out.
std::vector<std::uint32_t> materialsWithOwnTextures(const Mesh& mesh);

/// The number of the sheet that a material of a baked mesh has its textures on.
std::size_t sheetOf(const Mesh& mesh, std::uint32_t material);

struct SheetContent {
    std::shared_ptr<const Mesh> mesh;
    QImage image;           ///< null where the mesh has no such texture
    UvCharts charts;        ///< none where the mesh has no UVs
    Groups bordersOfChart;  ///< indices into charts.borders
    UvGrid grid;
    std::shared_ptr<const MissPictures> misses;  ///< to be painted on the mesh; null unless they are what is shown
    std::vector<std::uint8_t> isOnIt;  ///< whether each triangle has this material, or one with the same textures

    /// A chart's rim in the sheet: x to the right, y downwards, 0 to 1.
    std::vector<QLineF> rimOf(std::uint32_t chart) const;
    std::vector<QLineF> allRims() const;
    /// The same on the surface, with the outward side of its triangle; of unit length.
    struct Side {
        Vec3d from, to, normal;
    };
    std::vector<Side> rimOnSurface(std::uint32_t chart) const;
    /// The triangle at a place of the sheet, as above.
    std::optional<TriangleId> triangleAt(const QPointF& place) const;
    Vec3d placeOnSurface(TriangleId triangle, const QPointF& place) const;
    /// Where a place of a triangle lies in the sheet.
    QPointF placeInSheet(TriangleId triangle, const Vec3d& place) const;
};

/// @param misses  the pictures of them, one for each sheet; may be none
/// @throws Cancelled
SheetContent makeSheetContent(std::shared_ptr<const Mesh> mesh, std::uint32_t material, SheetValue value,
                              const std::vector<std::shared_ptr<const std::string>>& misses, const Progress& progress);

/// The middles of the largest heaps of misses, in the sheet as above; the largest first.
std::vector<QPointF> placesOfMisses(const std::string& misses);

}  // namespace um::app
