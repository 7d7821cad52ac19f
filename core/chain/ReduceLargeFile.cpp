#include "chain/ReduceLargeFile.h"

#include "base/Error.h"
#include "base/Parallel.h"
#include "files/MeshFile.h"
#include "measure/ClosestOfMany.h"
#include "reduce/Stream.h"

#include <cmath>
#include <fstream>

namespace um {

namespace {

// Reading, welding and reducing a file as a whole: the peak by measurement, for each of its triangles.
constexpr double bytesOfTriangle = 200;

// The same for the clustered mesh, with its quadrics and the polish.
constexpr double bytesOfClustered = 230;

// Clustered triangles for each one wanted: enough for the engine to choose from.
constexpr double clusteredForOne = 10;
constexpr double leastClustered = 2e6;

}  // namespace

bool needsStreaming(const std::filesystem::path& file, std::size_t memoryBytes) {
    return double(estimateTriangles(file)) * bytesOfTriangle > double(memoryBytes);
}

std::size_t memoryToSpare() {
    std::ifstream info("/proc/meminfo");
    std::string word;
    double kilobytes = 4e6;  // where the machine does not say
    while (info >> word)
        if (word == "MemAvailable:") {
            info >> kilobytes;
            break;
        }
    return std::size_t(0.7 * 1024 * kilobytes);
}

LargeResult reduceLargeFile(const std::filesystem::path& file, const Target& target, const ReduceSettings& settings,
                            std::size_t memoryBytes, const Progress& progress) {
    const auto stream = openTriangleStream(file);
    const auto wanted = targetTriangles(target, stream->expectedTriangles());
    if (!wanted)
        throw InputError(
            "A file larger than the memory allowed can be reduced to a count or a share, not to a length: type a "
            "count, such as 1M, or allow more memory.");
    const double most = double(memoryBytes) / bytesOfClustered;
    if (most < 1.5 * double(*wanted))
        throw InputError("The memory allowed is too small for so many triangles; ask for fewer, or allow more.");
    const double clustered = std::min(most, std::max(leastClustered, clusteredForOne * double(*wanted)));
    Clustered clusters = clusterStream(*stream, std::size_t(clustered), progress.span(0, 0.6));
    clusters.mesh.parts[0].name = file.stem().string();
    if (stream->metresPerUnit() > 0) {
        clusters.mesh.metresPerUnit = stream->metresPerUnit();
        clusters.mesh.unitStated = true;
    }
    LargeResult result;
    result.sourceTriangles = clusters.sourceTriangles;
    result.clusteredTriangles = clusters.mesh.triangleCount();
    ReduceSettings own = settings;
    // Clustering has joined what lay in one cell already.
    own.topology = TopologyRule::MayChange;
    own.knownQuadrics = std::move(clusters.quadrics);
    Reduced reduced = reduceMesh(clusters.mesh, *wanted, own, progress.span(0.6, 0.95));
    clusters.mesh = Mesh();
    result.mesh = std::move(reduced.mesh);
    result.targetMet = reduced.targetMet;
    const ClosestPointFinder finder(result.mesh, progress.span(0.95, 0.97));
    std::vector<float> distances(clusters.samples.size());
    findClosestOfMany(
        finder, distances.size(), [&](std::size_t i) { return Vec3d(clusters.samples[i].cast<double>()); },
        [&](std::size_t i, const Vec3d&, const SurfacePoint& closest) { distances[i] = float(closest.distance); },
        progress.span(0.97, 1));
    result.samples = distances.size();
    std::sort(distances.begin(), distances.end());
    for (const float distance : distances) result.rms += double(distance) * double(distance);
    if (!distances.empty()) {
        result.rms = std::sqrt(result.rms / double(distances.size()));
        result.max = double(distances.back());
        result.p95 = double(distances[distances.size() * 95 / 100]);
    }
    progress.at(1);
    return result;
}

}  // namespace um
