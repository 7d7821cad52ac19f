#pragma once
/// The difference between the outlines of a level and its source, in pixels, from many directions.
#include "base/Progress.h"
#include "draw/Contour.h"

#include <string>

namespace um {

/// The difference of two outlines in one picture.
struct OutlineDifference {
    double lost = 0;        ///< area of the source that the level does not cover, in pixels
    double grown = 0;       ///< area of the level beyond the source
    double sourceArea = 0;  ///< in pixels
    double mean = 0;        ///< mean distance in pixels: the differing area divided by the length of the outline
    /// The largest distance, in pixels, of a sample that one alone covers to the samples of the other. At most the
    /// pixels of the surfaces' deviation, plus one sample.
    double max = 0;

    /// The differing area as a share of the source's area.
    double areaShare() const { return sourceArea > 0 ? (lost + grown) / sourceArea : 0; }

    /// Compares the largest distance, and the mean where that is equal, as it often is for good levels.
    bool isWorseThan(const OutlineDifference& other) const {
        return max != other.max ? max > other.max : mean > other.mean;
    }
};

/// @param across  samples along a pixel
OutlineDifference compareOutlines(const SampleMask& source, const SampleMask& level, int across);

/// The same for two meshes drawn without perspective, looking along -z after `turn`.
OutlineDifference compareFrom(const ContourMesh& source, const ContourMesh& level, const Mat3d& turn,
                              double pixelsPerUnit, int across);

/// A direction to look from, towards the viewer.
struct Direction {
    double azimuth = 0;    ///< degrees; 0 from the front (+z), 90 from +x
    double elevation = 0;  ///< degrees; 90 from above (+y)

    Vec3d vector() const;
    /// Turns the direction to the viewer (+z), with up (+y) upwards; from above or below, with the back (-z) upwards.
    Mat3d turn() const;
};

/// "from the front", "from the right, 35° above".
std::string describe(const Direction& direction);

/// The height of a mesh (along y), which defines its size on a screen; the largest extent if the mesh is flat.
double standingHeight(const Mesh& mesh);

/// The largest height in pixels at which the outlines of both can be compared.
double mostHeightPixels(const Mesh& source, const Mesh& level);

/// The lattice points of a cube with n x n squares a side, projected to the sphere and evened out: 26, 98 or 386
/// directions. Each has its opposite.
/// @throws InputError  if `count` is another number
std::vector<Direction> viewDirections(int count);

struct SilhouetteSettings {
    int views = 98;
    double heightPixels = 512;  ///< of the source, upright
    int across = 4;             ///< samples along a pixel
};

struct Silhouette {
    double heightPixels = 0;
    std::vector<Direction> directions;
    std::vector<OutlineDifference> views;  ///< in each direction
    std::size_t worst = 0;                 ///< the view with the largest difference

    double mean = 0;             ///< of all views' means
    double max = 0;              ///< of all views
    double areaShare = 0;        ///< of all views' areas together
    double lost = 0, grown = 0;  ///< the same, apart
};

/// Draws both without perspective at the same scale. Opposite directions show the same outline mirrored, so that one
/// of them is drawn.
/// @throws MeshError   if a picture would have more than 4096 pixels a side
/// @throws Cancelled
Silhouette measureSilhouette(const ContourMesh& source, const ContourMesh& level, const SilhouetteSettings& settings,
                             const Progress& progress);
Silhouette measureSilhouette(const Mesh& source, const Mesh& level, const SilhouetteSettings& settings,
                             const Progress& progress);

/// A mesh drawn without perspective in a picture just large enough for it.
struct OutlinePicture {
    SampleMask mask;
    Vec2f origin = Vec2f::Zero();  ///< its upper left, in samples from where positions are counted
};

/// The outlines of a source from all directions, drawn once for any number of levels. Holds 32 bytes for each pixel of
/// a picture and two directions, at 4 samples along a pixel.
class SourceOutlines {
public:
    /// Keeps a reference to `source`.
    /// @throws Cancelled
    SourceOutlines(const ContourMesh& source, const SilhouetteSettings& settings, const Progress& progress);

    const ContourMesh& source() const { return m_source; }
    const SilhouetteSettings& settings() const { return m_settings; }
    /// From a direction of the second half of viewDirections().
    const OutlinePicture& picture(std::size_t direction) const { return m_pictures[direction - m_pictures.size()]; }

private:
    const ContourMesh& m_source;
    SilhouetteSettings m_settings;
    std::vector<OutlinePicture> m_pictures;
};

/// The same as with the source itself.
Silhouette measureSilhouette(const SourceOutlines& source, const ContourMesh& level, const Progress& progress);

/// Both meshes as seen in one picture: `project` takes positions to pixels as homogeneous x, y and w; what lies behind
/// the viewer (w not above 0) is not drawn.
struct OutlinePair {
    SampleMask source, level;
};
OutlinePair drawOutlines(const ContourMesh& source, const ContourMesh& level,
                         const Eigen::Matrix<double, 3, 4>& project, int width, int height, int across,
                         const Progress& progress);

}  // namespace um
