#pragma once
/// Triangles of a file that is larger than memory, one batch after the other.
#include "base/Math.h"
#include "base/Progress.h"

#include <array>
#include <filesystem>
#include <functional>
#include <memory>
#include <span>

namespace um {

using Corners = std::array<Vec3f, 3>;

class TriangleStream {
public:
    using Visit = std::function<void(std::span<const Corners>)>;

    virtual ~TriangleStream() = default;

    /// Hands over all triangles in the order of the file, in batches of at most 65,536. Polygons are cut into fans.
    /// May be called again, with the same triangles.
    /// @throws FileError  if the file is cut off or broken
    /// @throws Cancelled
    virtual void read(const Visit& visit, const Progress& progress) = 0;

    /// About how many there will be.
    virtual std::size_t expectedTriangles() const = 0;

    /// 0 if the file does not say it.
    virtual double metresPerUnit() const { return 0; }
};

/// For STL, binary PLY and OBJ. Only shape is read: no parts, materials or attributes.
/// An OBJ's vertices are held in memory, 12 bytes each; nothing else is.
/// @throws FileError  if the file cannot be read, or its format cannot be streamed
std::unique_ptr<TriangleStream> openTriangleStream(const std::filesystem::path& path);

/// About how many triangles a file holds, by its header or its size, without reading it.
/// @throws FileError  if it cannot be read
std::size_t estimateTriangles(const std::filesystem::path& path);

}  // namespace um
