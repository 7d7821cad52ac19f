#pragma once
/// Reducing a file that may be larger than memory.
#include "chain/Target.h"
#include "reduce/Reduce.h"

#include <filesystem>

namespace um {

/// Whether reading and reducing a file as a whole would take more memory than that.
/// @throws FileError  if it cannot be read
bool needsStreaming(const std::filesystem::path& file, std::size_t memoryBytes);

/// The memory to use: 70 % of what is free.
std::size_t memoryToSpare();

struct LargeResult {
    Mesh mesh;
    bool targetMet = true;
    std::size_t sourceTriangles = 0;
    std::size_t clusteredTriangles = 0;
    /// Deviation from evenly taken points of the source to the level; in the mesh's unit.
    std::size_t samples = 0;
    double max = 0, rms = 0, p95 = 0;
};

/// Streams the file into clusters that fit in the memory given, and reduces those to the target.
/// Shape only: parts, materials and attributes are not carried.
/// @throws InputError  if the target is not a count or a share, or the memory is too small for it
/// @throws FileError, MeshError, Cancelled
/// Source: Lindstrom 2000 (clustering), then as reduceMesh.
LargeResult reduceLargeFile(const std::filesystem::path& file, const Target& target, const ReduceSettings& settings,
                            std::size_t memoryBytes, const Progress& progress);

}  // namespace um
