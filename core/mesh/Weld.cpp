#include "mesh/Weld.h"

#include "base/Parallel.h"
#include "base/Sorted.h"
#include "mesh/Connectivity.h"

#include <oneapi/tbb/parallel_sort.h>
#include <bit>
#include <limits>

namespace um {
namespace {

constexpr std::size_t weldChunk = 1 << 16;
// A bucket's table stays within the second-level cache.
constexpr std::size_t pointsPerBucket = 1 << 14;

struct Entry {
    std::uint32_t hash;
    std::uint32_t point;
};

std::uint32_t hashOf(const Vec3f& point) {
    const auto bits = [](float x) { return std::uint64_t(std::bit_cast<std::uint32_t>(x + 0.0f)); };
    const std::uint64_t mixed = (bits(point.x()) | bits(point.y()) << 32) * 0x9e3779b97f4a7c15ULL;
    return std::uint32_t(mixBits(mixed ^ (bits(point.z()) * 0xc2b2ae3d27d4eb4fULL)) >> 32);
}

// The points sorted by bucket, and within a bucket in their own order.
struct Buckets {
    std::vector<Entry> entries;
    std::vector<std::size_t> begin;  // one more than there are buckets
};

Buckets sortIntoBuckets(std::span<const Vec3f> points, const Progress& progress) {
    const std::size_t bucketCount = std::bit_ceil(std::max<std::size_t>(1, points.size() / pointsPerBucket));
    const int shift = 32 - std::countr_zero(bucketCount);
    const auto bucketOf = [&](std::uint32_t hash) { return shift == 32 ? 0u : hash >> shift; };
    const std::size_t chunks = chunkCount(points.size(), weldChunk);

    std::vector<std::uint32_t> counts(chunks * bucketCount, 0);
    parallelChunks(points.size(), weldChunk, [&](std::size_t chunk, std::size_t begin, std::size_t end) {
        for (std::size_t i = begin; i < end; ++i) ++counts[chunk * bucketCount + bucketOf(hashOf(points[i]))];
    });
    progress.at(0.2);
    Buckets buckets;
    buckets.begin.resize(bucketCount + 1, 0);
    std::uint32_t sum = 0;
    for (std::size_t bucket = 0; bucket < bucketCount; ++bucket) {
        buckets.begin[bucket] = sum;
        for (std::size_t chunk = 0; chunk < chunks; ++chunk) {
            std::uint32_t& count = counts[chunk * bucketCount + bucket];
            const std::uint32_t own = count;
            count = sum;
            sum += own;
        }
    }
    buckets.begin[bucketCount] = sum;
    buckets.entries.resize(points.size());
    parallelChunks(points.size(), weldChunk, [&](std::size_t chunk, std::size_t begin, std::size_t end) {
        for (std::size_t i = begin; i < end; ++i) {
            const std::uint32_t hash = hashOf(points[i]);
            buckets.entries[counts[chunk * bucketCount + bucketOf(hash)]++] = {hash, std::uint32_t(i)};
        }
    });
    return buckets;
}

// For each point, the first one that equals it.
std::vector<std::uint32_t> firstEqual(std::span<const Vec3f> points, const Buckets& buckets, const Progress& progress) {
    constexpr std::uint32_t free = std::numeric_limits<std::uint32_t>::max();
    std::vector<std::uint32_t> first(points.size());
    parallelRanges(
        buckets.begin.size() - 1,
        [&](std::size_t beginBucket, std::size_t endBucket) {
            std::vector<Entry> table;
            for (std::size_t bucket = beginBucket; bucket < endBucket; ++bucket) {
                progress.check();
                const std::size_t begin = buckets.begin[bucket];
                const std::size_t end = buckets.begin[bucket + 1];
                const std::size_t mask = std::bit_ceil(std::max<std::size_t>(16, 2 * (end - begin))) - 1;
                table.assign(mask + 1, {0, free});
                for (std::size_t i = begin; i < end; ++i) {
                    const Entry& entry = buckets.entries[i];
                    std::size_t slot = (entry.hash * 0x9e3779b1u) & mask;
                    while (table[slot].point != free &&
                           (table[slot].hash != entry.hash || points[table[slot].point] != points[entry.point]))
                        slot = (slot + 1) & mask;
                    if (table[slot].point == free) table[slot] = entry;
                    first[entry.point] = table[slot].point;
                }
            }
        },
        1);
    return first;
}

}  // namespace

Welded weldPoints(std::span<const Vec3f> points, const Progress& progress) {
    const Buckets buckets = sortIntoBuckets(points, progress.span(0, 0.4));
    progress.at(0.4);
    const std::vector<std::uint32_t> first = firstEqual(points, buckets, progress);
    progress.at(0.8);

    std::vector<std::uint32_t> offsets(chunkCount(points.size(), weldChunk), 0);
    parallelChunks(points.size(), weldChunk, [&](std::size_t chunk, std::size_t begin, std::size_t end) {
        for (std::size_t i = begin; i < end; ++i) offsets[chunk] += first[i] == i ? 1 : 0;
    });
    Welded welded;
    welded.positions.resize(exclusivePrefixSum(offsets));
    welded.indexOf.resize(points.size());
    parallelChunks(points.size(), weldChunk, [&](std::size_t chunk, std::size_t begin, std::size_t end) {
        std::uint32_t next = offsets[chunk];
        for (std::size_t i = begin; i < end; ++i) {
            if (first[i] != i) continue;
            welded.positions[next] = points[i];
            welded.indexOf[i] = next++;
        }
    });
    parallelFor(points.size(), [&](std::size_t i) {
        if (first[i] != i) welded.indexOf[i] = welded.indexOf[first[i]];
    });
    progress.at(1);
    return welded;
}

std::size_t weldVertices(Mesh& mesh, const Progress& progress) {
    Welded welded = weldPoints(mesh.positions, progress);
    const std::size_t removed = mesh.positions.size() - welded.positions.size();
    if (removed == 0) return 0;
    if (mesh.hasAttributes() && mesh.wedges.empty()) mesh.wedges = mesh.triangles;
    mesh.positions = std::move(welded.positions);
    parallelFor(mesh.triangles.size(), [&](std::size_t t) {
        for (VertexId& v : mesh.triangles[t]) v = welded.indexOf[v];
    });
    return removed;
}

bool isTriangleSoup(const Mesh& mesh) {
    if (mesh.vertexCount() < 3 * mesh.triangleCount() || mesh.triangleCount() < 2) return false;
    std::vector<bool> seen(mesh.vertexCount(), false);
    for (const Triangle& triangle : mesh.triangles)
        for (const VertexId v : triangle) {
            if (seen[v]) return false;
            seen[v] = true;
        }
    return true;
}

std::vector<std::uint64_t> assignWedges(Mesh& mesh, const std::vector<std::array<std::uint64_t, 3>>& keys) {
    const VertexTriangles around = findVertexTriangles(mesh.triangles, mesh.vertexCount());
    // A broken triangle may use a vertex twice; each of its corners has a key all the same.
    const auto forCornersAt = [&](VertexId v, const auto& visit) {
        for (const TriangleId t : around.of(v))
            for (std::size_t corner = 0; corner < 3; ++corner)
                if (mesh.triangles[t][corner] == v) visit(t, corner);
    };
    const auto keysAt = [&](VertexId v, std::vector<std::uint64_t>& found) {
        found.clear();
        forCornersAt(v, [&](TriangleId t, std::size_t corner) { found.push_back(keys[t][corner]); });
        sortUnique(found);
    };
    std::vector<std::uint32_t> first(mesh.vertexCount());
    parallelRanges(mesh.vertexCount(), [&](std::size_t begin, std::size_t end) {
        std::vector<std::uint64_t> found;
        for (std::size_t v = begin; v < end; ++v) {
            keysAt(VertexId(v), found);
            first[v] = std::uint32_t(found.size());
        }
    });
    std::vector<std::uint64_t> wedgeKeys(exclusivePrefixSum(first));
    mesh.wedges.assign(mesh.triangleCount(), Triangle{0, 0, 0});
    parallelRanges(mesh.vertexCount(), [&](std::size_t begin, std::size_t end) {
        std::vector<std::uint64_t> found;
        for (std::size_t v = begin; v < end; ++v) {
            keysAt(VertexId(v), found);
            std::copy(found.begin(), found.end(), wedgeKeys.begin() + first[v]);
            forCornersAt(VertexId(v), [&](TriangleId t, std::size_t corner) {
                const auto place = std::lower_bound(found.begin(), found.end(), keys[t][corner]) - found.begin();
                mesh.wedges[t][corner] = first[v] + WedgeId(place);
            });
        }
    });
    return wedgeKeys;
}

void groupIntoSections(Mesh& mesh, const std::vector<Run>& runs) {
    std::vector<std::size_t> order(runs.size());
    for (std::size_t i = 0; i < order.size(); ++i) order[i] = i;
    std::stable_sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) {
        return std::pair(runs[a].part, runs[a].material) < std::pair(runs[b].part, runs[b].material);
    });
    const auto endOf = [&](std::size_t run) {
        return run + 1 < runs.size() ? runs[run + 1].firstTriangle : mesh.triangleCount();
    };
    const auto ordered = [&](const std::vector<Triangle>& triangles) {
        std::vector<Triangle> result;
        result.reserve(triangles.size());
        for (const std::size_t run : order)
            result.insert(result.end(), triangles.begin() + long(runs[run].firstTriangle),
                          triangles.begin() + long(endOf(run)));
        return result;
    };
    if (!std::is_sorted(order.begin(), order.end())) {
        if (!mesh.wedges.empty()) mesh.wedges = ordered(mesh.wedges);
        // Without wedges the attributes follow the vertices, whose order does not change.
        mesh.triangles = ordered(mesh.triangles);
    }
    mesh.sections.clear();
    TriangleId next = 0;
    for (const std::size_t run : order) {
        const auto count = std::uint32_t(endOf(run) - runs[run].firstTriangle);
        if (count == 0) continue;
        if (!mesh.sections.empty() && mesh.sections.back().part == runs[run].part &&
            mesh.sections.back().material == runs[run].material)
            mesh.sections.back().triangleCount += count;
        else
            mesh.sections.push_back({runs[run].part, runs[run].material, next, count});
        next += count;
    }
}

std::vector<std::uint8_t> trianglesWithoutFolds(const Mesh& mesh) {
    struct Key {
        Triangle corners;
        TriangleId triangle;
        int turn;  // 1 or -1, by the direction in which they are run through
    };
    std::vector<std::uint8_t> kept(mesh.triangleCount(), 0);
    std::vector<Key> keys;
    for (TriangleId t = 0; t < mesh.triangleCount(); ++t) {
        Triangle corners = mesh.triangles[t];
        if (corners[0] == corners[1] || corners[1] == corners[2] || corners[2] == corners[0]) continue;
        std::rotate(corners.begin(), std::min_element(corners.begin(), corners.end()), corners.end());
        const int turn = corners[1] < corners[2] ? 1 : -1;
        if (turn < 0) std::swap(corners[1], corners[2]);
        keys.push_back({corners, t, turn});
    }
    tbb::parallel_sort(keys.begin(), keys.end(), [](const Key& a, const Key& b) {
        return a.corners != b.corners ? a.corners < b.corners : a.triangle < b.triangle;
    });
    for (std::size_t begin = 0; begin < keys.size();) {
        std::size_t end = begin;
        int sum = 0;
        for (; end < keys.size() && keys[end].corners == keys[begin].corners; ++end) sum += keys[end].turn;
        for (std::size_t i = begin; i < end; ++i)
            if (keys[i].turn * sum > 0) {
                kept[keys[i].triangle] = 1;
                break;
            }
        begin = end;
    }
    return kept;
}

}  // namespace um
