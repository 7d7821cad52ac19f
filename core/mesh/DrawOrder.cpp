#include "mesh/DrawOrder.h"

#include <algorithm>
#include <limits>
#include <span>

namespace um {
namespace {

constexpr int cacheSize = 16;

// The order of some triangles' corners, given as runs of three numbers below `vertexCount`.
class Fans {
public:
    Fans(std::span<const Triangle> triangles, std::size_t vertexCount)
        : m_triangles(triangles),
          m_left(vertexCount, 0),
          m_begin(vertexCount + 1, 0),
          m_entered(vertexCount, 0),
          m_done(triangles.size(), false) {
        for (const Triangle& t : triangles)
            for (const std::uint32_t v : t) ++m_left[v];
        for (std::size_t v = 0; v < vertexCount; ++v) m_begin[v + 1] = m_begin[v] + m_left[v];
        m_around.resize(m_begin.back());
        std::vector<std::uint32_t> at(m_begin.begin(), m_begin.end() - 1);
        for (std::uint32_t t = 0; t < triangles.size(); ++t)
            for (const std::uint32_t v : triangles[t]) m_around[at[v]++] = t;
    }

    /// The triangles in their new order, and where new clusters begin in it.
    void order(std::vector<std::uint32_t>& result, std::vector<std::uint32_t>& clusters) {
        std::uint32_t fan = nextUntouched();
        clusters.push_back(0);
        while (fan != noIndex) {
            std::vector<std::uint32_t> candidates;
            for (std::uint32_t i = m_begin[fan]; i < m_begin[fan + 1]; ++i) {
                const std::uint32_t t = m_around[i];
                if (m_done[t]) continue;
                m_done[t] = true;
                result.push_back(t);
                for (const std::uint32_t v : m_triangles[t]) {
                    m_deadEnds.push_back(v);
                    candidates.push_back(v);
                    --m_left[v];
                    if (m_time - m_entered[v] > std::uint32_t(cacheSize)) m_entered[v] = m_time++;
                }
            }
            fan = best(candidates);
            if (fan == noIndex) {
                fan = lastTouched();
                // The cache is of no more use from here: a place to cut.
                if (!result.empty()) clusters.push_back(std::uint32_t(result.size()));
            }
        }
        if (clusters.back() == result.size() && clusters.size() > 1) clusters.pop_back();
    }

private:
    // The one longest in the cache that will still be there when its fan is done.
    std::uint32_t best(const std::vector<std::uint32_t>& candidates) const {
        std::uint32_t found = noIndex;
        int most = -1;
        for (const std::uint32_t v : candidates) {
            if (m_left[v] == 0) continue;
            const int age = int(m_time - m_entered[v]);
            const int priority = age + 2 * int(m_left[v]) <= cacheSize ? age : 0;
            if (priority > most) {
                most = priority;
                found = v;
            }
        }
        return found;
    }

    std::uint32_t lastTouched() {
        while (!m_deadEnds.empty()) {
            const std::uint32_t v = m_deadEnds.back();
            m_deadEnds.pop_back();
            if (m_left[v] > 0) return v;
        }
        return nextUntouched();
    }

    std::uint32_t nextUntouched() {
        while (m_next < m_left.size() && m_left[m_next] == 0) ++m_next;
        return m_next < m_left.size() ? m_next : noIndex;
    }

    std::span<const Triangle> m_triangles;
    std::vector<std::uint32_t> m_left, m_begin, m_around, m_entered, m_deadEnds;
    std::vector<bool> m_done;
    std::uint32_t m_time = cacheSize + 1, m_next = 0;
};

// What faces away from the middle is drawn first: it hides the rest from most sides.
void sortClusters(const Mesh& mesh, TriangleId first, std::vector<std::uint32_t>& order,
                  const std::vector<std::uint32_t>& clusters) {
    struct Cluster {
        std::uint32_t begin, end;
        Vec3d middle = Vec3d::Zero(), normal = Vec3d::Zero();
        double area = 0, outwards = 0;
    };
    std::vector<Cluster> list;
    Vec3d whole = Vec3d::Zero();
    double wholeArea = 0;
    for (std::size_t c = 0; c < clusters.size(); ++c) {
        Cluster cluster{clusters[c], c + 1 < clusters.size() ? clusters[c + 1] : std::uint32_t(order.size())};
        for (std::uint32_t i = cluster.begin; i < cluster.end; ++i) {
            const Triangle& t = mesh.triangles[first + order[i]];
            const Vec3d p = mesh.positions[t[0]].cast<double>(), q = mesh.positions[t[1]].cast<double>(),
                        r = mesh.positions[t[2]].cast<double>();
            const Vec3d normal = areaNormal(p, q, r);
            const double area = normal.norm();
            cluster.middle += area * (p + q + r) / 3;
            cluster.normal += normal;
            cluster.area += area;
        }
        whole += cluster.middle;
        wholeArea += cluster.area;
        list.push_back(cluster);
    }
    if (!(wholeArea > 0)) return;
    whole /= wholeArea;
    for (Cluster& cluster : list)
        if (cluster.area > 0)
            cluster.outwards = (cluster.middle / cluster.area - whole).dot(cluster.normal.normalized());
    std::stable_sort(list.begin(), list.end(),
                     [](const Cluster& a, const Cluster& b) { return a.outwards > b.outwards; });
    std::vector<std::uint32_t> sorted;
    sorted.reserve(order.size());
    for (const Cluster& cluster : list)
        sorted.insert(sorted.end(), order.begin() + cluster.begin, order.begin() + cluster.end);
    order = std::move(sorted);
}

template <class T>
void renumber(std::vector<T>& values, const std::vector<std::uint32_t>& from) {
    if (values.empty()) return;
    std::vector<T> result(from.size());
    for (std::size_t i = 0; i < from.size(); ++i) result[i] = values[from[i]];
    values = std::move(result);
}

// Numbers in the order of their first use; `from` tells the old number of each new one.
void numberByUse(std::vector<Triangle>& triangles, std::size_t count, std::vector<std::uint32_t>& from) {
    std::vector<std::uint32_t> numbers(count, noIndex);
    for (Triangle& t : triangles)
        for (std::uint32_t& v : t) {
            if (numbers[v] == noIndex) {
                numbers[v] = std::uint32_t(from.size());
                from.push_back(v);
            }
            v = numbers[v];
        }
}

}  // namespace

Mesh inDrawOrder(const Mesh& mesh) {
    Mesh result = mesh;
    const std::vector<Triangle>& corners = mesh.wedges.empty() ? mesh.triangles : mesh.wedges;
    const std::size_t cornerCount = mesh.wedges.empty() ? mesh.vertexCount() : mesh.wedgeCount();
    for (const Section& section : mesh.sections) {
        std::vector<std::uint32_t> order, clusters;
        order.reserve(section.triangleCount);
        Fans(std::span(corners).subspan(section.firstTriangle, section.triangleCount), cornerCount)
            .order(order, clusters);
        sortClusters(mesh, section.firstTriangle, order, clusters);
        for (std::uint32_t i = 0; i < section.triangleCount; ++i) {
            const TriangleId from = section.firstTriangle + order[i];
            result.triangles[section.firstTriangle + i] = mesh.triangles[from];
            if (!mesh.wedges.empty()) result.wedges[section.firstTriangle + i] = mesh.wedges[from];
        }
    }
    std::vector<std::uint32_t> vertices, wedges;
    numberByUse(result.triangles, mesh.vertexCount(), vertices);
    if (!mesh.wedges.empty()) numberByUse(result.wedges, cornerCount, wedges);
    renumber(result.positions, vertices);
    forVertexAttributes(result, [&](auto& values) { renumber(values, vertices); });
    forWedgeAttributes(result, [&](auto& values) { renumber(values, mesh.wedges.empty() ? vertices : wedges); });
    return result;
}

double vertexWorkPerTriangle(const Mesh& mesh, int size) {
    if (mesh.triangleCount() == 0) return 0;
    std::size_t work = 0;
    std::vector<std::uint32_t> recent;  // first in, first out
    for (const Section& section : mesh.sections) {
        recent.clear();
        for (std::uint32_t i = 0; i < section.triangleCount; ++i)
            for (const WedgeId w : mesh.wedgesOf(section.firstTriangle + i)) {
                if (std::find(recent.begin(), recent.end(), w) != recent.end()) continue;
                ++work;
                recent.push_back(w);
                if (recent.size() > std::size_t(size)) recent.erase(recent.begin());
            }
    }
    return double(work) / double(mesh.triangleCount());
}

}  // namespace um
