#pragma once
/// Pictures of meshes without any graphics card: what is seen first at each pixel, shaded as clay.
#include "mesh/Mesh.h"

#include <array>
#include <string>

namespace um {

using Rgb = std::array<std::uint8_t, 3>;

struct Picture {
    int width = 0, height = 0;
    std::vector<Rgb> pixels;  ///< rows from the top

    Picture() = default;
    Picture(int pictureWidth, int pictureHeight, const Rgb& ground)
        : width(pictureWidth),
          height(pictureHeight),
          pixels(std::size_t(pictureWidth) * std::size_t(pictureHeight), ground) {}
    Rgb& at(int x, int y) { return pixels[std::size_t(y) * std::size_t(width) + std::size_t(x)]; }
    const Rgb& at(int x, int y) const { return pixels[std::size_t(y) * std::size_t(width) + std::size_t(x)]; }
};

/// How a mesh is looked at without perspective: along -z after `turn`, with `middle` in the picture's middle.
struct FlatView {
    Mat3d turn = Mat3d::Identity();
    Vec3d middle = Vec3d::Zero();
    double pixelsPerUnit = 1;
};

/// Which triangle is seen first at each of a picture's samples; `nothing` where there is none.
struct TriangleMap {
    static constexpr TriangleId nothing = 0xffffffffu;

    int width = 0, height = 0;
    std::vector<TriangleId> triangles;  ///< rows from the top
    std::vector<float> depths;          ///< along the view, higher is nearer; in units
};
TriangleMap drawTriangles(const Mesh& mesh, const FlatView& view, int width, int height, int across);

/// Clay under a light from above on the left, each triangle in one shade; 2 x 2 samples a pixel.
Picture drawClay(const Mesh& mesh, const FlatView& view, int width, int height);

/// As PNG. @throws MeshError  if that fails for want of memory
std::string pngOf(const Picture& picture);

}  // namespace um
