#include "bench/Textbook.h"

#include "reduce/Quadric.h"

#include <algorithm>
#include <map>
#include <queue>
#include <set>

#include <Eigen/LU>

namespace um::bench {
namespace {

struct Entry {
    double cost;
    VertexId a, b;
    std::uint32_t stampA, stampB;
    Vec3d place;
    bool operator<(const Entry& other) const { return cost > other.cost; }  // the cheapest on top
};

class Textbook {
public:
    explicit Textbook(const Mesh& mesh) : m_triangles(mesh.triangles), m_alive(mesh.triangleCount(), true) {
        for (const Vec3f& p : mesh.positions) m_positions.push_back(p.cast<double>());
        m_quadrics.resize(m_positions.size());
        m_around.resize(m_positions.size());
        m_stamps.assign(m_positions.size(), 0);
        m_live = m_triangles.size();
        std::map<std::pair<VertexId, VertexId>, int> edges;
        for (std::size_t t = 0; t < m_triangles.size(); ++t) {
            const Triangle& triangle = m_triangles[t];
            const Vec3d doubled =
                areaNormal(m_positions[triangle[0]], m_positions[triangle[1]], m_positions[triangle[2]]);
            for (std::size_t i = 0; i < 3; ++i) {
                m_around[triangle[i]].push_back(TriangleId(t));
                const VertexId next = triangle[(i + 1) % 3];
                ++edges[{std::min(triangle[i], next), std::max(triangle[i], next)}];
                if (doubled.norm() > 0)
                    m_quadrics[triangle[i]] +=
                        Quadric::plane(doubled.normalized(), m_positions[triangle[0]], doubled.norm() / 2);
            }
        }
        addBorders(edges);
        for (const auto& [edge, count] : edges) push(edge.first, edge.second);
    }

    void run(std::size_t target) {
        while (m_live > target && !m_heap.empty()) {
            const Entry entry = m_heap.top();
            m_heap.pop();
            if (m_stamps[entry.a] != entry.stampA || m_stamps[entry.b] != entry.stampB) continue;
            if (!linkHolds(entry.a, entry.b) || flips(entry.a, entry.b, entry.place) ||
                flips(entry.b, entry.a, entry.place))
                continue;
            contract(entry);
        }
    }

    Mesh finish(const Mesh& source) const {
        Mesh mesh;
        mesh.metresPerUnit = source.metresPerUnit;
        for (const Vec3d& p : m_positions) mesh.positions.push_back(p.cast<float>());
        for (std::size_t t = 0; t < m_triangles.size(); ++t)
            if (m_alive[t]) mesh.triangles.push_back(m_triangles[t]);
        ensureSections(mesh, "textbook");
        dropUnused(mesh);
        return mesh;
    }

private:
    void addBorders(const std::map<std::pair<VertexId, VertexId>, int>& edges) {
        for (const Triangle& triangle : m_triangles) {
            const Vec3d normal =
                areaNormal(m_positions[triangle[0]], m_positions[triangle[1]], m_positions[triangle[2]]);
            for (std::size_t i = 0; i < 3; ++i) {
                const VertexId a = triangle[i], b = triangle[(i + 1) % 3];
                if (edges.at({std::min(a, b), std::max(a, b)}) != 1) continue;
                const Vec3d edge = m_positions[b] - m_positions[a];
                const Vec3d across = edge.cross(normal);
                if (!(across.norm() > 0)) continue;
                const Quadric plane = Quadric::plane(across.normalized(), m_positions[a], 10 * edge.squaredNorm());
                m_quadrics[a] += plane;
                m_quadrics[b] += plane;
            }
        }
    }

    void push(VertexId a, VertexId b) {
        Quadric sum = m_quadrics[a];
        sum += m_quadrics[b];
        Eigen::Matrix3d matrix;
        matrix << sum.xx, sum.xy, sum.xz, sum.xy, sum.yy, sum.yz, sum.xz, sum.yz, sum.zz;
        const Vec3d middle = (m_positions[a] + m_positions[b]) / 2;
        Vec3d place = middle;
        const double size = sum.trace() / 3;
        if (std::abs(matrix.determinant()) > 1e-6 * size * size * size) {
            place = matrix.inverse() * -sum.b;
        } else {
            for (const Vec3d& end : {m_positions[a], m_positions[b]})
                if (sum.at(end) < sum.at(place)) place = end;
        }
        m_heap.push({sum.at(place), a, b, m_stamps[a], m_stamps[b], place});
    }

    std::set<VertexId> neighbours(VertexId v) const {
        std::set<VertexId> found;
        for (const TriangleId t : m_around[v])
            if (m_alive[t]) found.insert(m_triangles[t].begin(), m_triangles[t].end());
        found.erase(v);
        return found;
    }

    bool linkHolds(VertexId a, VertexId b) const {
        const std::set<VertexId> ofA = neighbours(a), ofB = neighbours(b);
        std::size_t common = 0, shared = 0;
        for (const VertexId v : ofA) common += ofB.count(v);
        for (const TriangleId t : m_around[a])
            if (m_alive[t]) shared += std::count(m_triangles[t].begin(), m_triangles[t].end(), b);
        return common == shared && ofA.size() + ofB.size() > 7;
    }

    bool flips(VertexId from, VertexId other, const Vec3d& place) const {
        for (const TriangleId t : m_around[from]) {
            if (!m_alive[t]) continue;
            const Triangle& triangle = m_triangles[t];
            if (std::find(triangle.begin(), triangle.end(), other) != triangle.end()) continue;
            std::array<Vec3d, 3> moved;
            for (std::size_t i = 0; i < 3; ++i) moved[i] = triangle[i] == from ? place : m_positions[triangle[i]];
            const Vec3d before =
                areaNormal(m_positions[triangle[0]], m_positions[triangle[1]], m_positions[triangle[2]]);
            const Vec3d after = areaNormal(moved[0], moved[1], moved[2]);
            if (before.dot(after) < 0.2 * before.norm() * after.norm()) return true;
        }
        return false;
    }

    void contract(const Entry& entry) {
        m_positions[entry.a] = entry.place;
        m_quadrics[entry.a] += m_quadrics[entry.b];
        for (const TriangleId t : m_around[entry.b]) {
            if (!m_alive[t]) continue;
            Triangle& triangle = m_triangles[t];
            if (std::find(triangle.begin(), triangle.end(), entry.a) != triangle.end()) {
                m_alive[t] = false;
                --m_live;
                continue;
            }
            std::replace(triangle.begin(), triangle.end(), entry.b, entry.a);
            m_around[entry.a].push_back(t);
        }
        std::erase_if(m_around[entry.a], [&](TriangleId t) { return !m_alive[t]; });
        m_around[entry.b].clear();
        ++m_stamps[entry.a];
        ++m_stamps[entry.b];
        for (const VertexId v : neighbours(entry.a)) push(entry.a, v);
    }

    std::vector<Vec3d> m_positions;
    std::vector<Triangle> m_triangles;
    std::vector<bool> m_alive;
    std::vector<Quadric> m_quadrics;
    std::vector<std::vector<TriangleId>> m_around;
    std::vector<std::uint32_t> m_stamps;
    std::priority_queue<Entry> m_heap;
    std::size_t m_live = 0;
};

}  // namespace

Mesh reduceByTextbook(const Mesh& source, std::size_t targetTriangles) {
    Textbook textbook(source);
    textbook.run(targetTriangles);
    return textbook.finish(source);
}

}  // namespace um::bench
