#include "reduce/Stars.h"

#include "base/Parallel.h"
#include "reduce/EdgeCost.h"
#include "reduce/EdgeRules.h"

#include <limits>
#include <utility>

namespace um {

namespace {

// Vertices with that many neighbours become centres first, so that few are needed.
constexpr std::array<std::uint8_t, 3> orderOfValence = {8, 6, 0};

enum class Role : std::uint8_t { Undecided, Centre, TakenIn, Stays };

class Finder {
public:
    Finder(const WorkingMesh& mesh, double share)
        : m_mesh(mesh), m_share(share), m_roles(mesh.vertexCount(), Role::Undecided), m_isBad(mesh.vertexCount(), 0) {
        m_stars.centres.resize(mesh.vertexCount());
        m_stars.places.resize(mesh.vertexCount());
    }

    Stars find(const std::vector<std::uint8_t>& spared, const Progress& progress) {
        chooseCentres(spared, progress);
        progress.at(0.2);
        takeIn(progress);
        progress.at(0.5);
        parallelRanges(m_roles.size(), [&](std::size_t begin, std::size_t end) {
            progress.check();
            for (std::size_t v = begin; v < end; ++v) settle(VertexId(v));
        });
        takeApartWhatIsBad();
        progress.at(0.7);
        std::vector<VertexId> toCheck =
            parallelIndices(m_roles.size(), [&](std::size_t v) { return isJudged(VertexId(v)); });
        // What is taken apart may leave something beside it worse than before.
        while (!toCheck.empty()) {
            check(toCheck, progress);
            toCheck = takeApartWhatIsBad();
        }
        progress.at(1);
        return std::move(m_stars);
    }

private:
    // A triangle of a star that lasts, seen from the star's vertex, with that vertex's corner in it before.
    struct Side {
        VertexId next, last;
        CornerId corner;
    };

    VertexId centreOf(VertexId v) const { return m_stars.centres[v]; }
    bool isCentre(VertexId v) const { return m_roles[v] == Role::Centre; }
    bool isInside(VertexId v) const { return m_mesh.kinds[v] == Kind::Interior; }
    bool isJudged(VertexId v) const { return m_mesh.isUsed(v) && centreOf(v) == v && isInside(v); }
    Vec3d placeOf(VertexId v) const { return m_stars.places[v].cast<double>(); }

    template <class Visit>
    void forTakenIn(VertexId centre, const Visit& visit) const {
        m_mesh.forCorners(centre, [&](CornerId c) {
            const VertexId w = m_mesh.nextOf(c);
            if (centreOf(w) == centre) visit(w);
        });
    }

    // The star or vertex itself and all that lie around it.
    template <class Visit>
    void forAround(VertexId v, const Visit& visit) const {
        const auto visitFrom = [&](VertexId from) {
            visit(centreOf(from));
            m_mesh.forCorners(from, [&](CornerId c) { visit(centreOf(m_mesh.nextOf(c))); });
        };
        visitFrom(v);
        if (isCentre(v)) forTakenIn(v, visitFrom);
    }

    // How many triangles are around a vertex that may be moved; 0 around others.
    std::uint8_t valenceOf(VertexId v, const std::vector<std::uint8_t>& spared) const {
        if (!m_mesh.isUsed(v) || !isInside(v)) return 0;
        const CornerId first = m_mesh.firstCorner[v];
        if (!spared.empty() && spared[m_mesh.sections[first / 3]] != 0) return 0;
        // Of a ring it is known already that it is one.
        if (!m_mesh.isRing(v) && !m_mesh.isPlainlyInside(v)) return 0;
        std::size_t count = 0;
        bool mayMove = true;
        for (CornerId c = first; c != noIndex && mayMove; c = m_mesh.nextCorner[c]) {
            mayMove = ++count <= WorkingMesh::mostOfPlain && isInside(m_mesh.nextOf(c)) && m_mesh.carriesSame(c, first);
        }
        return mayMove ? std::uint8_t(count) : std::uint8_t(0);
    }

    // As many as have room, no two side by side.
    void chooseCentres(const std::vector<std::uint8_t>& spared, const Progress& progress) {
        std::vector<std::uint8_t> valences(m_roles.size());
        parallelFor(m_roles.size(), [&](std::size_t v) {
            m_stars.centres[v] = VertexId(v);
            valences[v] = valenceOf(VertexId(v), spared);
            if (valences[v] == 0) m_roles[v] = Role::Stays;
        });
        for (const std::uint8_t least : orderOfValence) {
            progress.check();
            for (VertexId v = 0; v < m_roles.size(); ++v) {
                if (m_roles[v] != Role::Undecided || valences[v] < least) continue;
                m_roles[v] = Role::Centre;
                m_mesh.forCorners(v, [&](CornerId c) {
                    Role& beside = m_roles[m_mesh.nextOf(c)];
                    if (beside == Role::Undecided) beside = Role::TakenIn;
                });
            }
        }
    }

    // Each vertex beside centres goes to that which costs least, if it is not too dear.
    void takeIn(const Progress& progress) {
        constexpr float dearest = std::numeric_limits<float>::max();
        std::vector<float> costs(m_roles.size(), dearest);
        parallelRanges(
            m_roles.size(),
            [&](std::size_t begin, std::size_t end) {
                progress.check();
                Fan around;
                EdgeCosts edgeCosts;
                std::vector<VertexId> centres;
                for (VertexId v = VertexId(begin); v < end; ++v) {
                    if (m_roles[v] != Role::TakenIn) continue;
                    around.gather(m_mesh, v);
                    centres.clear();
                    for (const auto& [next, last] : around)
                        if (isCentre(next)) centres.push_back(next);
                    const std::span<const float> found = edgeCosts.of(m_mesh, v, around, centres);
                    const auto least = std::min_element(found.begin(), found.end());
                    costs[v] = *least;
                    m_stars.centres[v] = centres[std::size_t(least - found.begin())];
                }
            },
            2048);
        const float limit = limitOf(costs);
        parallelFor(m_roles.size(), [&](std::size_t v) {
            if (costs[v] > limit) m_stars.centres[v] = VertexId(v);
        });
    }

    // The cost below which lie those that are to be taken in.
    float limitOf(const std::vector<float>& costs) const {
        std::vector<float> taken = parallelFilter(costs, [&](std::size_t v) { return m_roles[v] == Role::TakenIn; });
        if (taken.empty()) return 0;
        const auto at = taken.begin() + long(m_share * double(taken.size() - 1));
        std::nth_element(taken.begin(), at, taken.end());
        return *at;
    }

    // Where a vertex goes that stays: a centre to where the error of all that it takes in is least.
    void settle(VertexId v) {
        m_stars.places[v] = m_mesh.positions[v];
        if (!isCentre(v)) return;
        std::array<VertexId, WorkingMesh::mostOfPlain> others;
        std::size_t count = 0;
        Vec3d mean = Vec3d::Zero();
        double farthest = 0;
        forTakenIn(v, [&](VertexId w) {
            const Vec3d apart = m_mesh.place(w) - m_mesh.place(v);
            mean += apart;
            farthest = std::max(farthest, apart.squaredNorm());
            others[count++] = w;
        });
        mean /= double(count + 1);
        const Vec3d best = m_mesh.errorOfStar(v, {others.data(), count}).minimum(mean);
        // What is taken in may be at no cost one by one, but not all together: then the optimum runs away.
        if (count > 0 && (best - mean).squaredNorm() <= farthest)
            m_stars.places[v] = (m_mesh.place(v) + best).cast<float>();
        else
            m_isBad[v] = 1;
    }

    // The triangles around a star, or a vertex that stays, that will be left.
    // @returns whether anything at it changes
    bool sidesOf(VertexId v, std::vector<Side>& sides) const {
        sides.clear();
        bool changes = isCentre(v);
        const auto add = [&](VertexId from) {
            m_mesh.forCorners(from, [&](CornerId c) {
                const VertexId next = centreOf(m_mesh.nextOf(c)), last = centreOf(m_mesh.lastOf(c));
                changes = changes || isCentre(next) || isCentre(last);
                if (next != v && last != v && next != last) sides.push_back({next, last, c});
            });
        };
        add(v);
        if (isCentre(v)) forTakenIn(v, add);
        return changes;
    }

    // Whether they close one ring in which no neighbour comes twice. Many are not looked at: beside a pole nothing is
    // drawn together.
    static bool isOneRing(const std::vector<Side>& sides) {
        constexpr std::size_t most = 40, slotCount = 64;
        constexpr std::uint8_t empty = 0xff;
        if (sides.size() < 3 || sides.size() > most) return false;
        // Where each neighbour comes next, found by a hash: there is no telling which, so looking along would cost
        // more.
        std::array<std::uint8_t, slotCount> slots;
        slots.fill(empty);
        const auto slotOf = [&](VertexId v) {
            std::size_t slot = (v * 0x9e3779b9u) >> 26;
            while (slots[slot] != empty && sides[slots[slot]].next != v) slot = (slot + 1) % slotCount;
            return slot;
        };
        for (std::size_t i = 0; i < sides.size(); ++i) {
            std::uint8_t& slot = slots[slotOf(sides[i].next)];
            if (slot != empty) return false;
            slot = std::uint8_t(i);
        }
        std::size_t at = 0, steps = 0;
        do {
            at = slots[slotOf(sides[at].last)];
        } while (++steps < sides.size() && at != 0 && at != empty);
        return at == 0 && steps == sides.size();
    }

    bool losesShape(VertexId v, const Side& side) const {
        const Triangle& before = m_mesh.triangles[side.corner / 3];
        const auto shapeOf = [](const Vec3d& a, const Vec3d& b, const Vec3d& c) {
            return std::pair((b - a).cross(c - a),
                             (b - a).squaredNorm() + (c - b).squaredNorm() + (a - c).squaredNorm());
        };
        const auto [oldNormal, oldEdges] =
            shapeOf(m_mesh.place(before[0]), m_mesh.place(before[1]), m_mesh.place(before[2]));
        const auto [normal, edges] = shapeOf(placeOf(v), placeOf(side.next), placeOf(side.last));
        const double oldArea = oldNormal.squaredNorm(), area = normal.squaredNorm(), along = oldNormal.dot(normal);
        if (!(oldArea > 0)) return false;
        if (along <= 0 || along * along < leastTurn * leastTurn * oldArea * area) return true;
        return 12 * area < needleQuality * needleQuality * edges * edges &&
               area * oldEdges * oldEdges < oldArea * edges * edges;
    }

    // The star that takes a corner of a triangle farthest from where it was.
    VertexId farthestMoved(const Side& side) const {
        VertexId star = noIndex;
        double farthest = -1;
        for (const VertexId corner : m_mesh.triangles[side.corner / 3]) {
            const double moved = (placeOf(centreOf(corner)) - m_mesh.place(corner)).squaredNorm();
            if (moved <= farthest) continue;
            farthest = moved;
            star = centreOf(corner);
        }
        return star;
    }

    // Marks what has to be taken apart.
    void check(const std::vector<VertexId>& stars, const Progress& progress) {
        const auto mark = [&](VertexId v) { markIn(m_isBad, v); };
        parallelRanges(
            stars.size(),
            [&](std::size_t begin, std::size_t end) {
                progress.check();
                std::vector<Side> sides;
                for (std::size_t i = begin; i < end; ++i) {
                    const VertexId v = stars[i];
                    if (!sidesOf(v, sides)) continue;
                    if (!isOneRing(sides)) {
                        forAround(v, mark);
                        continue;
                    }
                    for (const Side& side : sides) {
                        // All three see the triangle; one of them is enough.
                        if (v > side.next || v > side.last || !losesShape(v, side)) continue;
                        mark(farthestMoved(side));
                    }
                }
            },
            512);
    }

    // @returns what has to be looked at again: what was taken apart and what lies around it
    std::vector<VertexId> takeApartWhatIsBad() {
        const std::vector<VertexId> bad =
            parallelIndices(m_isBad.size(), [&](std::size_t v) { return m_isBad[v] != 0 && isCentre(VertexId(v)); });
        std::fill(m_isBad.begin(), m_isBad.end(), std::uint8_t(0));
        std::vector<std::uint8_t> isNear(m_isBad.size(), 0);
        const auto lookAgain = [&](VertexId v) { markIn(isNear, v); };
        parallelFor(
            bad.size(),
            [&](std::size_t i) {
                forTakenIn(bad[i], lookAgain);
                forAround(bad[i], lookAgain);
            },
            64);
        for (const VertexId v : bad) {
            forTakenIn(v, [&](VertexId w) { m_stars.centres[w] = w; });
            m_roles[v] = Role::Stays;
            m_stars.places[v] = m_mesh.positions[v];
        }
        return parallelIndices(isNear.size(), [&](std::size_t v) { return isNear[v] != 0 && isJudged(VertexId(v)); });
    }

    static void markIn(std::vector<std::uint8_t>& marks, VertexId v) {
        std::atomic_ref(marks[v]).store(1, std::memory_order_relaxed);
    }

    const WorkingMesh& m_mesh;
    double m_share;
    std::vector<Role> m_roles;
    Stars m_stars;
    std::vector<std::uint8_t> m_isBad;
};

}  // namespace

Stars findStars(const WorkingMesh& mesh, double share, const std::vector<std::uint8_t>& spared,
                const Progress& progress) {
    return Finder(mesh, share).find(spared, progress);
}

}  // namespace um
