#include "reduce/Stream.h"

#include "base/Error.h"
#include "base/Parallel.h"
#include "mesh/Weld.h"

#include <cmath>
#include <limits>

namespace um {

namespace {

// Cells are dealt out over so many tables by their hash, which fill up side by side.
constexpr std::size_t tables = 16;

constexpr std::size_t wantedSamples = 400000;

// Triangles of a clustered surface for each cell that it touches, and cells for each square of a cell's size of area:
// what plane-like surfaces come to at all angles to the grid.
constexpr double trianglesOfCell = 2.0;
constexpr double cellsOfSquare = 1.5;

// Borders weigh as much as a face of twice their squared length, as in the engine.
constexpr double borderWeight = 2.0;

struct Overview {
    Eigen::AlignedBox3d box;
    double area = 0;
    std::size_t triangles = 0;
};

Overview lookOver(TriangleStream& stream, const Progress& progress) {
    Overview overview;
    stream.read(
        [&](std::span<const Corners> batch) {
            struct Part {
                Eigen::AlignedBox3d box;
                double area = 0;
            };
            constexpr std::size_t chunkSize = 4096;
            std::vector<Part> parts(chunkCount(batch.size(), chunkSize));
            parallelChunks(batch.size(), chunkSize, [&](std::size_t chunk, std::size_t begin, std::size_t end) {
                for (std::size_t t = begin; t < end; ++t) {
                    const Vec3d a = batch[t][0].cast<double>(), b = batch[t][1].cast<double>(),
                                c = batch[t][2].cast<double>();
                    parts[chunk].box.extend(a).extend(b).extend(c);
                    parts[chunk].area += areaNormal(a, b, c).norm() / 2;
                }
            });
            for (const Part& part : parts) {
                overview.box.extend(part.box);
                overview.area += part.area;
            }
            overview.triangles += batch.size();
        },
        progress);
    return overview;
}

// One cell's vertex to be. Everything is counted from the cell's middle.
struct ClusterCell {
    std::uint64_t key = 0;
    StoredQuadric quadric;
    Vec3f sum = Vec3f::Zero();  // of corners, weighted by area
    float weight = 0;
    // Of the edges: their vectors and moments, which cancel where two triangles share one. What is left are borders.
    Vec3f along = Vec3f::Zero(), moment = Vec3f::Zero();
};

// A hash table with open addressing; cells keep the order in which they came.
class CellTable {
public:
    CellTable() : m_slots(1024, empty) {}

    std::uint32_t at(std::uint64_t key) {
        if (m_cells.size() * 2 > m_slots.size()) grow();
        std::uint32_t& slot = m_slots[slotFor(key)];
        if (slot == empty) {
            slot = std::uint32_t(m_cells.size());
            m_cells.emplace_back();
            m_cells.back().key = key;
        }
        return slot;
    }

    std::vector<ClusterCell>& cells() { return m_cells; }
    const std::vector<ClusterCell>& cells() const { return m_cells; }

private:
    static constexpr std::uint32_t empty = std::numeric_limits<std::uint32_t>::max();

    std::size_t slotFor(std::uint64_t key) const {
        std::size_t slot = mixBits(key) >> 4 & (m_slots.size() - 1);
        while (m_slots[slot] != empty && m_cells[m_slots[slot]].key != key) slot = (slot + 1) & (m_slots.size() - 1);
        return slot;
    }

    void grow() {
        m_slots.assign(m_slots.size() * 2, empty);
        for (std::size_t i = 0; i < m_cells.size(); ++i) m_slots[slotFor(m_cells[i].key)] = std::uint32_t(i);
    }

    std::vector<ClusterCell> m_cells;
    std::vector<std::uint32_t> m_slots;
};

class Clusterer {
public:
    Clusterer(const Overview& overview, double cell) : m_origin(overview.box.min()), m_cell(cell), m_tables(tables) {}

    void add(std::span<const Corners> batch);
    Clustered finish(const Progress& progress);

private:
    std::uint64_t keyOf(const Vec3f& p) const {
        std::uint64_t key = 0;
        for (int i = 0; i < 3; ++i) {
            const double at = std::floor((double(p[i]) - m_origin[i]) / m_cell);
            key = key << 21 | std::uint64_t(std::clamp(at, 0.0, 2097151.0));
        }
        return key;
    }
    Vec3d middleOf(std::uint64_t key) const {
        const Vec3d at(double(key >> 42), double(key >> 21 & 0x1fffff), double(key & 0x1fffff));
        return m_origin + m_cell * (at + Vec3d::Constant(0.5));
    }
    static std::size_t tableOf(std::uint64_t key) { return mixBits(key) % tables; }

    void addCorner(ClusterCell& cell, const Corners& corners, std::size_t k) const;
    Vec3d placeOf(const ClusterCell& cell) const;

    Vec3d m_origin;
    double m_cell;
    std::vector<CellTable> m_tables;
    std::vector<Triangle> m_triangles;  // of cells: the table in the lowest bits
    std::vector<std::array<std::uint64_t, 3>> m_keys;
    std::vector<Triangle> m_cells;
};

void Clusterer::add(std::span<const Corners> batch) {
    m_keys.resize(batch.size());
    m_cells.resize(batch.size());
    parallelFor(batch.size(), [&](std::size_t t) {
        for (std::size_t k = 0; k < 3; ++k) m_keys[t][k] = keyOf(batch[t][k]);
    });
    parallelFor(
        tables,
        [&](std::size_t table) {
            for (std::size_t t = 0; t < batch.size(); ++t)
                for (std::size_t k = 0; k < 3; ++k) {
                    if (tableOf(m_keys[t][k]) != table) continue;
                    const std::uint32_t cell = m_tables[table].at(m_keys[t][k]);
                    m_cells[t][k] = std::uint32_t(cell * tables + table);
                    addCorner(m_tables[table].cells()[cell], batch[t], k);
                }
        },
        1);
    for (const Triangle& triangle : m_cells)
        if (triangle[0] != triangle[1] && triangle[1] != triangle[2] && triangle[2] != triangle[0])
            m_triangles.push_back(triangle);
}

void Clusterer::addCorner(ClusterCell& cell, const Corners& corners, std::size_t k) const {
    const Vec3d middle = middleOf(cell.key);
    const Vec3d here = corners[k].cast<double>() - middle;
    const Vec3d next = corners[(k + 1) % 3].cast<double>() - middle;
    const Vec3d last = corners[(k + 2) % 3].cast<double>() - middle;
    const Vec3d doubled = areaNormal(here, next, last);
    const double area = doubled.norm() / 2;
    // Both edges at this corner, in the direction in which the triangle runs through them.
    cell.along += (next - last).cast<float>();
    cell.moment += (here.cross(next) + last.cross(here)).cast<float>();
    if (!(area > 0)) return;
    cell.quadric += StoredQuadric(Quadric::plane(doubled / (2 * area), here, area));
    cell.sum += (area * here).cast<float>();
    cell.weight += float(area);
}

// Counted from the cell's middle.
Vec3d Clusterer::placeOf(const ClusterCell& cell) const {
    const Vec3d mean = cell.weight > 0 ? Vec3d((cell.sum / cell.weight).cast<double>()) : Vec3d(Vec3d::Zero());
    const Vec3d best = Quadric(cell.quadric).minimum(mean);
    return (best.cwiseAbs().maxCoeff() <= 0.6 * m_cell) ? best : mean;
}

Clustered Clusterer::finish(const Progress& progress) {
    Clustered result;
    result.cell = m_cell;
    std::vector<std::uint32_t> first(tables + 1, 0);
    for (std::size_t table = 0; table < tables; ++table)
        first[table + 1] = first[table] + std::uint32_t(m_tables[table].cells().size());
    result.mesh.positions.resize(first.back());
    result.quadrics.resize(first.back());
    for (std::size_t table = 0; table < tables; ++table) {
        progress.at(double(table) / tables);
        std::vector<ClusterCell>& cells = m_tables[table].cells();
        parallelFor(cells.size(), [&](std::size_t i) {
            ClusterCell& cell = cells[i];
            const Vec3d along = cell.along.cast<double>(), moment = cell.moment.cast<double>();
            // Rounding leaves a little where edges cancel; a border in this cell is about as long as the cell.
            if (along.norm() > 0.05 * m_cell) {
                // The squared distance to the line that the borders' edges make together, times its squared length.
                Quadric line;
                const double squared = along.squaredNorm();
                line.xx = squared - along.x() * along.x();
                line.yy = squared - along.y() * along.y();
                line.zz = squared - along.z() * along.z();
                line.xy = -along.x() * along.y();
                line.xz = -along.x() * along.z();
                line.yz = -along.y() * along.z();
                line.b = -along.cross(moment);
                line.c = moment.squaredNorm();
                line *= borderWeight / 4;  // every edge came in at both its ends
                cell.quadric += StoredQuadric(line);
            }
            const Vec3d place = placeOf(cell);
            const Vec3d middle = middleOf(cell.key);
            result.mesh.positions[first[table] + i] = (middle + place).cast<float>();
            result.quadrics[first[table] + i] = StoredQuadric(Quadric(cell.quadric).seenFrom(place));
        });
        cells = std::vector<ClusterCell>();
    }
    parallelFor(m_triangles.size(), [&](std::size_t t) {
        for (std::uint32_t& cell : m_triangles[t]) cell = first[cell % tables] + cell / std::uint32_t(tables);
    });
    result.mesh.triangles = std::move(m_triangles);
    ensureSections(result.mesh, "mesh");
    keepTriangles(result.mesh, trianglesWithoutFolds(result.mesh));
    return result;
}

}  // namespace

Clustered clusterStream(TriangleStream& stream, std::size_t triangles, const Progress& progress) {
    const Overview overview = lookOver(stream, progress.span(0, 0.35));
    if (!(overview.area > 0))
        throw MeshError("The file has no triangle with an area; choose a file that holds a surface.");
    const double squares = double(triangles) / (trianglesOfCell * cellsOfSquare);
    const double largest = overview.box.sizes().maxCoeff();
    // 21 bits number the cells along each axis.
    const double cell = std::max(std::sqrt(overview.area / std::max(1.0, squares)), largest / 2e6);
    Clusterer clusterer(overview, cell);
    std::vector<Vec3f> samples;
    const std::size_t step = std::max<std::size_t>(1, overview.triangles / wantedSamples);
    std::size_t before = 0;
    stream.read(
        [&](std::span<const Corners> batch) {
            clusterer.add(batch);
            for (std::size_t t = (step - before % step) % step; t < batch.size(); t += step)
                samples.push_back(batch[t][(before + t) / step % 3]);
            before += batch.size();
        },
        progress.span(0.35, 0.95));
    Clustered result = clusterer.finish(progress.span(0.95, 1));
    result.sourceTriangles = overview.triangles;
    result.samples = std::move(samples);
    if (result.mesh.triangles.empty())
        throw MeshError("The mesh is too small for so few triangles; ask for more, or allow more memory.");
    progress.at(1);
    return result;
}

}  // namespace um
