#include "bake/Charts.h"

#include "bake/Hull.h"
#include "bake/Pieces.h"
#include "bake/StraightBorders.h"
#include "base/Parallel.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <map>
#include <numeric>
#include <optional>
#include <queue>
#include <set>
#include <unordered_map>

namespace um {
namespace {

constexpr TriangleId none = Neighbours::none;

// The connected groups of triangles of one piece.
// @param beyond  which triangle lies beyond each edge, or none
std::vector<std::vector<TriangleId>> connectedGroups(const std::vector<std::array<TriangleId, 3>>& beyond,
                                                     const std::vector<std::uint32_t>& pieceOf) {
    std::vector<std::vector<TriangleId>> groups;
    std::vector<std::uint8_t> isSeen(pieceOf.size(), 0);
    for (TriangleId start = 0; start < pieceOf.size(); ++start) {
        if (isSeen[start] != 0) continue;
        std::vector<TriangleId>& group = groups.emplace_back(1, start);
        isSeen[start] = 1;
        for (std::size_t i = 0; i < group.size(); ++i)
            for (const TriangleId next : beyond[group[i]])
                if (next != none && isSeen[next] == 0 && pieceOf[next] == pieceOf[start]) {
                    isSeen[next] = 1;
                    group.push_back(next);
                }
        std::sort(group.begin(), group.end());
    }
    return groups;
}

// The share of its convex hull that a flat piece covers.
double solidity(const Patch& patch) {
    const double area = polygonArea(convexHull(patch.flat));
    return area > 0 ? stretchOf(patch).flatArea / area : 0;
}

// How far apart the two places of a flat piece are that are farthest from each other.
double lengthOf(const Patch& patch) {
    const std::vector<Vec2d> hull = convexHull(patch.flat);
    double most = 0;
    for (std::size_t i = 0; i < hull.size(); ++i)
        for (std::size_t k = 0; k < i; ++k) most = std::max(most, (hull[i] - hull[k]).squaredNorm());
    return std::sqrt(most);
}

class Cutter {
public:
    Cutter(const Mesh& mesh, const ChartSettings& settings)
        : m_mesh(mesh), m_settings(settings), m_around(findNeighbours(mesh, settings)) {
        for (const Vec3d& normal : m_around.areaNormals) m_area += normal.norm();
    }

    std::vector<Chart> cut(const Progress& progress) {
        const std::vector<std::uint32_t> pieceOf = nearlyFlatPieces(m_around, progress);
        progress.at(0.1);
        const auto groups = connectedGroups(m_around.beyond, pieceOf);
        std::vector<std::vector<Chart>> laid(groups.size());
        parallelFor(
            groups.size(),
            [&](std::size_t i) {
                progress.check();
                lay(groups[i], laid[i]);
            },
            1);
        progress.at(0.3);
        for (std::vector<Chart>& few : laid) std::move(few.begin(), few.end(), std::back_inserter(m_charts));
        join(progress.span(0.3, 1));
        return std::move(m_charts);
    }

private:
    // Corners come together at a vertex only if one can go from one to the other within the chart, so that pieces that
    // merely touch at a point do not hang on it.
    Patch patchOf(const std::vector<TriangleId>& triangles, const std::vector<std::uint64_t>& cuts) const {
        std::unordered_map<TriangleId, std::uint32_t> place;
        for (std::uint32_t i = 0; i < triangles.size(); ++i) place.emplace(triangles[i], i);
        std::vector<std::uint32_t> parent(3 * triangles.size());
        std::iota(parent.begin(), parent.end(), 0u);
        const auto find = [&](std::uint32_t i) {
            while (parent[i] != i) i = parent[i] = parent[parent[i]];
            return i;
        };
        for (std::uint32_t i = 0; i < triangles.size(); ++i) {
            const Triangle& here = m_mesh.triangles[triangles[i]];
            for (std::size_t k = 0; k < 3; ++k) {
                const TriangleId other = m_around.beyond[triangles[i]][k];
                const auto found = other == none ? place.end() : place.find(other);
                if (found == place.end() || found->second < i) continue;
                if (std::binary_search(cuts.begin(), cuts.end(), edgeOf(triangles[i], k))) continue;
                const Triangle& there = m_mesh.triangles[other];
                for (const std::size_t corner : {k, (k + 1) % 3}) {
                    const auto at = std::find(there.begin(), there.end(), here[corner]) - there.begin();
                    const std::uint32_t a = find(3 * i + std::uint32_t(corner));
                    const std::uint32_t b = find(3 * found->second + std::uint32_t(at));
                    parent[std::max(a, b)] = std::min(a, b);
                }
            }
        }
        Patch patch;
        std::vector<std::uint32_t> number(parent.size(), none);
        for (std::uint32_t i = 0; i < triangles.size(); ++i) {
            Triangle corners{};
            for (std::uint32_t k = 0; k < 3; ++k) {
                std::uint32_t& own = number[find(3 * i + k)];
                if (own == none) {
                    own = std::uint32_t(patch.positions.size());
                    patch.positions.push_back(m_mesh.positions[m_mesh.triangles[triangles[i]][k]].cast<double>());
                }
                corners[k] = own;
            }
            patch.triangles.push_back(corners);
        }
        return patch;
    }

    static std::uint64_t edgeOf(TriangleId t, std::size_t k) { return 3 * std::uint64_t(t) + k; }

    std::optional<Chart> laidFlat(const std::vector<TriangleId>& triangles,
                                  const std::vector<std::uint64_t>& cuts) const {
        // Little ones may be stretched more: few charts waste less of the sheet than even ones.
        constexpr double smallShare = 0.01, more = 0.15;
        const double area = areaOf(triangles);
        const double most = m_settings.mostStretch + more * std::max(0.0, 1 - area / (smallShare * m_area));
        Chart chart{triangles, cuts, patchOf(triangles, cuts)};
        if (!layFlat(chart.patch, 1 + (most - 1) / 2)) return std::nullopt;
        // A single triangle lies flat whatever its stretch is reckoned to be.
        if (triangles.size() > 1 && !(stretchOf(chart.patch).mean <= most)) return std::nullopt;
        return chart;
    }

    double areaOf(const std::vector<TriangleId>& triangles) const {
        double area = 0;
        for (const TriangleId t : triangles) area += m_around.areaNormals[t].norm();
        return area;
    }

    // One that is most of the surface has no others beside it, and one that is as wide as it is long is only large.
    bool isTooLong(const Chart& chart, double area) const {
        constexpr double longish = 3;  // square of the length, in areas: a square has 2
        const double length = lengthOf(chart.patch);
        return area < m_area / 2 && length > m_settings.mostLength * std::sqrt(m_area) &&
               length * length > longish * area;
    }

    // Whether others find a place beside it.
    bool isHandy(const Chart& chart) const {
        constexpr double smallShare = 0.002, asGoodAsABox = 0.92;
        const double area = areaOf(chart.triangles);
        if (m_settings.mostReach > 0 && lengthOf(chart.patch) > m_settings.mostReach) return false;
        if (area < smallShare * m_area) return true;
        if (isTooLong(chart, area)) return false;
        const double solid = solidity(chart.patch);
        return solid >= (area > m_settings.mostShare * m_area ? asGoodAsABox : m_settings.leastSolid);
    }

    // Cut in two where it does not lie flat or nothing finds a place beside it, and so on.
    void lay(const std::vector<TriangleId>& triangles, std::vector<Chart>& charts) const {
        if (auto chart = laidFlat(triangles, {}); chart && (triangles.size() == 1 || isHandy(*chart))) {
            charts.push_back(std::move(*chart));
            return;
        }
        if (triangles.size() == 1) {
            charts.push_back(degenerate(triangles));
            return;
        }
        for (const std::vector<TriangleId>& part : cutInTwo(triangles)) lay(part, charts);
    }

    // A triangle of no area has a place in the sheet all the same.
    Chart degenerate(const std::vector<TriangleId>& triangles) const {
        Chart chart{triangles, {}, patchOf(triangles, {})};
        double longest = 0;
        for (std::size_t k = 0; k < 3; ++k) longest = std::max(longest, m_around.lengths[triangles[0]][k]);
        chart.patch.flat = {Vec2d(0, 0), Vec2d(longest, 0), Vec2d(longest / 2, longest * 1e-3)};
        chart.patch.flat.resize(chart.patch.positions.size(), Vec2d::Zero());
        return chart;
    }

    // Which seed is nearest to each of the triangles, from one to the next.
    // @param around  them by themselves
    // @param last  is set to the one that is farthest from all of them
    std::vector<std::uint32_t> nearestSeeds(const std::vector<TriangleId>& triangles, const Neighbours& around,
                                            const std::vector<std::uint32_t>& seeds, std::uint32_t& last) const {
        const auto middle = [&](std::uint32_t i) {
            Vec3d sum = Vec3d::Zero();
            for (const VertexId v : m_mesh.triangles[triangles[i]]) sum += m_mesh.positions[v].cast<double>();
            return Vec3d(sum / 3);
        };
        using Step = std::tuple<double, std::uint32_t, std::uint32_t>;  // distance, triangle, seed
        std::vector<std::uint32_t> nearest(triangles.size(), none);
        std::priority_queue<Step, std::vector<Step>, std::greater<>> queue;
        for (std::uint32_t s = 0; s < seeds.size(); ++s) queue.emplace(0, seeds[s], s);
        while (!queue.empty()) {
            const auto [distance, i, seed] = queue.top();
            queue.pop();
            if (nearest[i] != none) continue;
            nearest[i] = seed;
            last = i;
            for (const std::uint32_t next : around.beyond[i])
                if (next != none && nearest[next] == none)
                    queue.emplace(distance + (middle(next) - middle(i)).norm(), next, seed);
        }
        return nearest;
    }

    // Halves grown from triangles that are far apart; each is one connected part, or more where the cut leaves some.
    std::vector<std::vector<TriangleId>> cutInTwo(const std::vector<TriangleId>& triangles) const {
        const Neighbours around = among(m_around, triangles);
        std::array<std::uint32_t, 2> seeds{};
        nearestSeeds(triangles, around, {0}, seeds[0]);
        nearestSeeds(triangles, around, {seeds[0]}, seeds[1]);
        if (seeds[1] == seeds[0]) seeds[1] = seeds[0] == 0 ? 1 : 0;
        std::uint32_t last = 0;
        std::vector<std::uint32_t> half = nearestSeeds(triangles, around, {seeds[0], seeds[1]}, last);
        straightenBorders(around, half);
        std::vector<std::vector<TriangleId>> parts = connectedGroups(around.beyond, half);
        for (std::vector<TriangleId>& part : parts)
            for (TriangleId& place : part) place = triangles[place];
        return parts;
    }

    // Neighbouring charts become one where that lies flat, too: first those that share most of their border.
    void join(const Progress& progress) {
        std::set<std::pair<std::uint32_t, std::uint32_t>>
            refused;  // by their numbers, which change when they are joined
        std::vector<std::uint32_t> number(m_charts.size());
        std::iota(number.begin(), number.end(), 0u);
        auto next = std::uint32_t(m_charts.size());
        const auto startCount = double(m_charts.size());
        for (int round = 0;; ++round) {
            progress.at(1 - double(m_charts.size()) / (startCount + 1));
            const std::vector<std::array<std::uint32_t, 2>> pairs = pairsToTry(refused, number);
            if (pairs.empty()) break;
            std::vector<std::optional<Chart>> joined(pairs.size());
            parallelFor(
                pairs.size(),
                [&](std::size_t i) {
                    progress.check();
                    joined[i] = joinedFlat(m_charts[pairs[i][0]], m_charts[pairs[i][1]]);
                },
                1);
            std::vector<std::uint8_t> isGone(m_charts.size(), 0);
            for (std::size_t i = 0; i < pairs.size(); ++i) {
                const auto [a, b] = pairs[i];
                if (!joined[i]) {
                    refused.emplace(std::min(number[a], number[b]), std::max(number[a], number[b]));
                    continue;
                }
                m_charts[a] = std::move(*joined[i]);
                number[a] = next++;
                isGone[b] = 1;
            }
            std::size_t kept = 0;
            for (std::size_t c = 0; c < m_charts.size(); ++c) {
                if (isGone[c] != 0) continue;
                if (kept != c) {
                    m_charts[kept] = std::move(m_charts[c]);
                    number[kept] = number[c];
                }
                ++kept;
            }
            m_charts.resize(kept);
            number.resize(kept);
        }
    }

    // Along all of the border between them, or where that does not lie flat along the longest smooth run of it, so that
    // a tube opens along a line and a cone up to its tip.
    std::optional<Chart> joinedFlat(const Chart& a, const Chart& b) const {
        constexpr double hardlyStretched = 1.01;
        std::vector<TriangleId> both;
        std::merge(a.triangles.begin(), a.triangles.end(), b.triangles.begin(), b.triangles.end(),
                   std::back_inserter(both));
        std::vector<std::uint64_t> cuts;
        std::merge(a.cuts.begin(), a.cuts.end(), b.cuts.begin(), b.cuts.end(), std::back_inserter(cuts));
        const auto laidHandy = [&] {
            auto chart = laidFlat(both, cuts);
            if (chart && !isHandy(*chart)) chart.reset();
            return chart;
        };
        auto whole = laidHandy();
        const double stretch = whole ? stretchOf(whole->patch).mean : 0;
        if (whole && stretch <= hardlyStretched) return whole;
        const std::vector<std::uint64_t> more = allButTheLongestRun(a.triangles, b.triangles, both);
        if (more.empty()) return whole;
        if (meetAtCrease(a.triangles, b.triangles)) whole.reset();  // a corner, which is cut and not bent flat
        cuts.insert(cuts.end(), more.begin(), more.end());
        std::sort(cuts.begin(), cuts.end());
        auto opened = laidHandy();
        return opened && (!whole || stretchOf(opened->patch).mean < stretch) ? opened : whole;
    }

    // Whether most of the border between two charts is a crease.
    bool meetAtCrease(const std::vector<TriangleId>& a, const std::vector<TriangleId>& b) const {
        double creased = 0, all = 0;
        for (const TriangleId t : a)
            for (std::size_t k = 0; k < 3; ++k)
                if (std::binary_search(b.begin(), b.end(), m_around.beyond[t][k])) {
                    all += m_around.lengths[t][k];
                    creased += m_around.isCrease[t][k] ? m_around.lengths[t][k] : 0;
                }
        return creased > all / 2;
    }

    // The edges between two charts, without those of the longest run along which no strongly curved vertex comes to lie
    // inside; both half-edges of each.
    std::vector<std::uint64_t> allButTheLongestRun(const std::vector<TriangleId>& a, const std::vector<TriangleId>& b,
                                                   const std::vector<TriangleId>& both) const {
        constexpr double mostDefect = 1.2;  // radians by which the angles around a vertex miss a full turn
        struct Shared {
            std::uint64_t edge, back;
            std::array<VertexId, 2> ends;
            double shows;
        };
        std::vector<Shared> edges;
        std::unordered_map<VertexId, std::vector<std::uint32_t>> at;
        for (const TriangleId t : a)
            for (std::size_t k = 0; k < 3; ++k) {
                const TriangleId other = m_around.beyond[t][k];
                if (other == none || !std::binary_search(b.begin(), b.end(), other)) continue;
                const std::array<VertexId, 2> ends = {m_mesh.triangles[t][k], m_mesh.triangles[t][(k + 1) % 3]};
                const Triangle& there = m_mesh.triangles[other];
                const auto back = std::size_t(std::find(there.begin(), there.end(), ends[1]) - there.begin());
                for (const VertexId v : ends) at[v].push_back(std::uint32_t(edges.size()));
                edges.push_back({edgeOf(t, k), edgeOf(other, back), ends, m_around.shows[t][k]});
            }
        std::unordered_map<VertexId, double> angles;
        for (const auto& [v, here] : at) angles[v] = 0;
        for (const TriangleId t : both)
            for (std::size_t k = 0; k < 3; ++k)
                if (const auto found = angles.find(m_mesh.triangles[t][k]); found != angles.end())
                    found->second += angleAt(t, k);
        std::vector<std::uint32_t> run(edges.size());
        std::iota(run.begin(), run.end(), 0u);
        const auto find = [&](std::uint32_t i) {
            while (run[i] != i) i = run[i] = run[run[i]];
            return i;
        };
        for (const auto& [v, here] : at)
            if (here.size() == 2 && std::abs(2 * pi - angles[v]) <= mostDefect) {
                const std::uint32_t first = find(here[0]), second = find(here[1]);
                run[std::max(first, second)] = std::min(first, second);
            }
        // Of nearly equal ones the one that shows most stays whole.
        std::vector<double> shows(edges.size(), 0);
        for (std::uint32_t i = 0; i < edges.size(); ++i) shows[find(i)] += edges[i].shows;
        const auto longest = std::uint32_t(std::max_element(shows.begin(), shows.end()) - shows.begin());
        std::vector<std::uint64_t> cut;
        for (std::uint32_t i = 0; i < edges.size(); ++i)
            if (find(i) != longest) cut.insert(cut.end(), {edges[i].edge, edges[i].back});
        return cut;
    }

    double angleAt(TriangleId t, std::size_t k) const {
        const Triangle& corners = m_mesh.triangles[t];
        const Vec3d here = m_mesh.positions[corners[k]].cast<double>();
        const Vec3d to = m_mesh.positions[corners[(k + 1) % 3]].cast<double>() - here;
        const Vec3d from = m_mesh.positions[corners[(k + 2) % 3]].cast<double>() - here;
        return std::atan2(to.cross(from).norm(), to.dot(from));
    }

    // Each chart at most once; those with most of their border in common first, as far as that is seen.
    std::vector<std::array<std::uint32_t, 2>> pairsToTry(
        const std::set<std::pair<std::uint32_t, std::uint32_t>>& refused,
        const std::vector<std::uint32_t>& number) const {
        constexpr double creaseCounts = 0.5;  // as much of their border as that: a cut shows least there
        constexpr double leastShared = 0.12;  // of the smaller border: less makes shapes that nothing fits beside
        std::vector<std::uint32_t> chartOf(m_mesh.triangleCount());
        for (std::uint32_t c = 0; c < m_charts.size(); ++c)
            for (const TriangleId t : m_charts[c].triangles) chartOf[t] = c;
        struct Shared {
            double length = 0, shows = 0;
        };
        std::map<std::array<std::uint32_t, 2>, Shared> shared;
        std::vector<double> border(m_charts.size(), 0);
        for (TriangleId t = 0; t < chartOf.size(); ++t)
            for (std::size_t k = 0; k < 3; ++k) {
                const TriangleId other = m_around.beyond[t][k];
                if (other != none && chartOf[other] == chartOf[t]) continue;
                border[chartOf[t]] += m_around.lengths[t][k];
                if (other == none || chartOf[t] > chartOf[other]) continue;
                const double counts = m_around.isCrease[t][k] ? creaseCounts : 1;
                Shared& both = shared[{chartOf[t], chartOf[other]}];
                both.length += counts * m_around.lengths[t][k];
                both.shows += counts * m_around.shows[t][k];
            }
        std::vector<std::pair<double, std::array<std::uint32_t, 2>>> candidates;
        for (const auto& [pair, both] : shared) {
            const std::uint32_t a = number[pair[0]], b = number[pair[1]];
            const double smaller = std::min(border[pair[0]], border[pair[1]]);
            if (both.length >= leastShared * smaller && !refused.contains({std::min(a, b), std::max(a, b)}))
                candidates.emplace_back(-both.shows / smaller, pair);
        }
        std::sort(candidates.begin(), candidates.end());
        std::vector<std::array<std::uint32_t, 2>> pairs;
        std::vector<std::uint8_t> isTaken(m_charts.size(), 0);
        for (const auto& [share, pair] : candidates) {
            if (isTaken[pair[0]] != 0 || isTaken[pair[1]] != 0) continue;
            isTaken[pair[0]] = isTaken[pair[1]] = 1;
            pairs.push_back(pair);
        }
        return pairs;
    }

    const Mesh& m_mesh;
    const ChartSettings m_settings;
    const Neighbours m_around;
    double m_area = 0;
    std::vector<Chart> m_charts;
};

}  // namespace

std::vector<Chart> cutIntoCharts(const Mesh& mesh, const ChartSettings& settings, const Progress& progress) {
    std::vector<Chart> charts = Cutter(mesh, settings).cut(progress);
    progress.at(1);
    return charts;
}

}  // namespace um
