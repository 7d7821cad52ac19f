#include "reduce/Contraction.h"

#include "base/Parallel.h"
#include "mesh/Connectivity.h"
#include "mesh/Weld.h"

#include <atomic>
#include <bit>
#include <limits>

namespace um {

namespace {

constexpr std::uint64_t unclaimed = std::numeric_limits<std::uint64_t>::max();
constexpr std::uint64_t taken = 0;

// A vertex of more triangles waits until its neighbours have contracted around it: every test costs by that number.
constexpr std::size_t mostTrianglesAround = 128;

// Borders, seams and material limits weigh as much as a face of twice their squared length.
constexpr double featureWeight = 2.0;

// The least cosine between a triangle's normals before and after one contraction. Wider turns would add up to folds.
constexpr double leastTurn = 0.5;

// 2 sqrt(3) |normal| / (sum of squared edges): 1 for an equilateral triangle, 0 for a needle.
constexpr double needleQuality = 0.04;

// Of the candidates, cheapest first, that take part in a pass: fewer come closer to contracting one by one, but take
// more passes. Small meshes take all, for speed does not matter there and the cheapest go first anyway.
constexpr double shareOfPass = 0.4;
constexpr std::size_t fewCandidates = 64;

// Costs within a factor of about 1.4 count as equal (the exponent and one bit of the fraction are compared): where
// costs fall steadily over a stretch of surface, only its lower end could go first otherwise, and passes would find
// next to nothing.
constexpr int costStepBits = 22;

// What has happened around a vertex since it was looked at.
constexpr std::uint8_t listHasDead = 1;
constexpr std::uint8_t candidateIsStale = 2;

// Rounds of choosing among the same candidates: more find little more, and cost as much.
constexpr int choiceRounds = 3;

std::size_t cornerOf(const Triangle& triangle, VertexId v) {
    return triangle[0] == v ? 0 : triangle[1] == v ? 1 : 2;
}

bool contains(const Triangle& triangle, VertexId v) {
    return triangle[0] == v || triangle[1] == v || triangle[2] == v;
}

void lowerTo(std::uint64_t& value, std::uint64_t key) {
    std::atomic_ref<std::uint64_t> claim(value);
    std::uint64_t known = claim.load(std::memory_order_relaxed);
    while (key < known && !claim.compare_exchange_weak(known, key, std::memory_order_relaxed)) {
    }
}

// A permutation of the 32-bit numbers: ties between equal costs fall evenly over the surface, and never between two
// vertices.
std::uint32_t scattered(std::uint32_t x) {
    x ^= x >> 16;
    x *= 0x85ebca6bu;
    x ^= x >> 13;
    x *= 0xc2b2ae35u;
    x ^= x >> 16;
    return x;
}

std::uint64_t attributeKey(const Mesh& mesh, WedgeId w) {
    std::uint64_t key = 0;
    if (!mesh.uvs.empty())
        key = mixBits(std::uint64_t(std::bit_cast<std::uint32_t>(mesh.uvs[w].x() + 0.0f)) << 32 |
                      std::bit_cast<std::uint32_t>(mesh.uvs[w].y() + 0.0f));
    if (!mesh.colors.empty()) key ^= mixBits(std::bit_cast<std::uint32_t>(mesh.colors[w]) + 0x9e3779b97f4a7c15ULL);
    return key;
}

}  // namespace

struct ContractionMesh::Scratch {
    struct Option {
        float cost;
        VertexId other;
        Vec3d place;
    };
    std::vector<VertexId> ring, otherRing;
    std::vector<Option> options;
};

ContractionMesh::ContractionMesh(const Mesh& source, const Progress& progress) : m_positions(source.positions) {
    const auto isWhole = [&](std::size_t t) {
        const Triangle& triangle = source.triangles[t];
        return triangle[0] != triangle[1] && triangle[1] != triangle[2] && triangle[2] != triangle[0];
    };
    m_triangles = parallelFilter(source.triangles, isWhole);
    m_sections = parallelFilter(sectionOfTriangles(source), isWhole);
    m_live = m_triangles.size();
    progress.at(0.1);
    if (!source.uvs.empty() || !source.colors.empty()) {
        // Wedges anew, by what is carried: a corner differs from its neighbour only where a UV or a colour does.
        Mesh shape;
        shape.positions.resize(m_positions.size());
        shape.triangles = m_triangles;
        const std::vector<Triangle> from =
            parallelFilter(source.wedges.empty() ? source.triangles : source.wedges, isWhole);
        std::vector<std::array<std::uint64_t, 3>> keys(from.size());
        parallelFor(from.size(), [&](std::size_t t) {
            for (std::size_t corner = 0; corner < 3; ++corner) keys[t][corner] = attributeKey(source, from[t][corner]);
        });
        const std::size_t wedgeCount = assignWedges(shape, keys).size();
        m_wedges = std::move(shape.wedges);
        if (!source.uvs.empty()) m_uvs.resize(wedgeCount);
        if (!source.colors.empty()) m_colors.resize(wedgeCount);
        for (std::size_t t = 0; t < from.size(); ++t)
            for (std::size_t corner = 0; corner < 3; ++corner) {
                if (!m_uvs.empty()) m_uvs[m_wedges[t][corner]] = source.uvs[from[t][corner]];
                if (!m_colors.empty()) m_colors[m_wedges[t][corner]] = source.colors[from[t][corner]];
            }
    }
    progress.at(0.3);
    makeLists();
    m_changes.assign(m_positions.size(), candidateIsStale);
    m_candidates.resize(m_positions.size());
    progress.at(0.5);
    classify();
    progress.at(0.7);
    sumQuadrics();
    progress.at(1);
}

void ContractionMesh::makeLists() {
    VertexTriangles found = findVertexTriangles(m_triangles, m_positions.size());
    m_lists = std::move(found.triangles);
    m_poolUsed = m_lists.size();
    // Room for the lists that passes join, until the next compaction. One pass takes at most 5/4 of the triangles: the
    // regions of its contractions share none, and each joins two lists that share its edge's triangles.
    m_lists.resize(2 * m_poolUsed + 1024);
    m_listSize.resize(m_positions.size());
    parallelFor(m_positions.size(), [&](std::size_t v) { m_listSize[v] = found.offsets[v + 1] - found.offsets[v]; });
    found.offsets.pop_back();
    m_listBegin = std::move(found.offsets);
    m_claims.resize(m_triangles.size());
}

// Whether the surface, its material or its attributes end or break at this edge.
bool ContractionMesh::isConstrainedEdge(VertexId u, VertexId v) const {
    TriangleId first = 0;
    int count = 0;
    bool broken = false;
    for (const TriangleId t : around(u)) {
        const Triangle& triangle = m_triangles[t];
        if (!contains(triangle, v)) continue;
        if (++count == 1) {
            first = t;
            continue;
        }
        const Triangle& before = m_triangles[first];
        const std::size_t u1 = cornerOf(before, u), v1 = cornerOf(before, v);
        const std::size_t u2 = cornerOf(triangle, u), v2 = cornerOf(triangle, v);
        const bool sameDirection = ((u1 + 1) % 3 == v1) == ((u2 + 1) % 3 == v2);
        broken = broken || sameDirection || m_sections[first] != m_sections[t];
        // A seam has two sides at both ends; where it has but one at an end, as around a pole, the surface may shrink
        // there.
        if (!m_wedges.empty())
            broken = broken || (m_wedges[first][u1] != m_wedges[t][u2] && m_wedges[first][v1] != m_wedges[t][v2]);
    }
    return count != 2 || broken;
}

bool ContractionMesh::hasOneWedge(VertexId v) const {
    if (m_wedges.empty() || m_listSize[v] == 0) return true;
    const auto wedgeIn = [&](TriangleId t) { return m_wedges[t][cornerOf(m_triangles[t], v)]; };
    const WedgeId first = wedgeIn(around(v).front());
    return std::all_of(around(v).begin(), around(v).end(), [&](TriangleId t) { return wedgeIn(t) == first; });
}

void ContractionMesh::classify() {
    m_kinds.assign(m_positions.size(), Kind::Corner);  // so that neighbours() looks at both sides of every triangle
    std::vector<Kind> kinds(m_positions.size());
    parallelRanges(m_positions.size(), [&](std::size_t begin, std::size_t end) {
        std::vector<VertexId> ring;
        for (std::size_t v = begin; v < end; ++v) {
            if (m_listSize[v] > 4096) {  // a pole: counting its features would cost the square of its triangles
                kinds[v] = Kind::Corner;
                continue;
            }
            neighbours(VertexId(v), ring);
            int constrained = 0;
            for (const VertexId w : ring) constrained += isConstrainedEdge(VertexId(v), w) ? 1 : 0;
            const bool plain = constrained == 0 && hasOneWedge(VertexId(v));
            kinds[v] = plain ? Kind::Interior : constrained == 2 ? Kind::Feature : Kind::Corner;
        }
    });
    m_kinds = std::move(kinds);
}

void ContractionMesh::sumQuadrics() {
    m_quadrics.resize(m_positions.size());
    parallelFor(m_positions.size(), [&](std::size_t v) {
        const Vec3d here = m_positions[v].cast<double>();
        Quadric sum;
        for (const TriangleId t : around(VertexId(v))) {
            const Triangle& triangle = m_triangles[t];
            const std::size_t corner = cornerOf(triangle, VertexId(v));
            const VertexId next = triangle[(corner + 1) % 3];
            const VertexId last = triangle[(corner + 2) % 3];
            const Vec3d toNext = m_positions[next].cast<double>() - here;
            const Vec3d toLast = m_positions[last].cast<double>() - here;
            const Vec3d doubled = toNext.cross(toLast);
            const double length = doubled.norm();
            if (!(length > 0)) continue;
            const Vec3d normal = doubled / length;
            sum += Quadric::plane(normal, Vec3d::Zero(), length / 2);
            // A plane through each constrained edge, square to the face, so that moving sideways off the edge costs.
            const auto addEdge = [&](VertexId end, const Vec3d& edge) {
                const bool mayBe = m_kinds[v] != Kind::Interior && m_kinds[end] != Kind::Interior;
                if (mayBe && m_listSize[v] <= 4096 && isConstrainedEdge(VertexId(v), end) && edge.norm() > 0)
                    sum += Quadric::plane(edge.cross(normal).normalized(), Vec3d::Zero(),
                                          featureWeight * edge.squaredNorm());
            };
            addEdge(next, toNext);
            addEdge(last, toLast);
        }
        m_quadrics[v] = StoredQuadric(sum);
    });
}

void ContractionMesh::neighbours(VertexId v, std::vector<VertexId>& found) const {
    found.clear();
    for (const TriangleId t : around(v)) {
        const Triangle& triangle = m_triangles[t];
        const std::size_t corner = cornerOf(triangle, v);
        found.push_back(triangle[(corner + 1) % 3]);
        // Inside a closed fan each neighbour comes next in exactly one triangle.
        if (m_kinds[v] != Kind::Interior) found.push_back(triangle[(corner + 2) % 3]);
    }
    if (m_kinds[v] == Kind::Interior) return;
    std::sort(found.begin(), found.end());
    found.erase(std::unique(found.begin(), found.end()), found.end());
}

// No triangle that stays is turned over or squeezed to a needle when u and v move to `place` (counted from u).
bool ContractionMesh::keepsShape(VertexId u, VertexId v, const Vec3d& place, Strictness strictness) const {
    const Vec3d origin = m_positions[u].cast<double>();
    const auto sideKeeps = [&](VertexId from, VertexId other) {
        const Vec3d old = m_positions[from].cast<double>() - origin;
        for (const TriangleId t : around(from)) {
            const Triangle& triangle = m_triangles[t];
            if (contains(triangle, other)) continue;
            const std::size_t corner = cornerOf(triangle, from);
            const Vec3d a = m_positions[triangle[(corner + 1) % 3]].cast<double>() - origin;
            const Vec3d b = m_positions[triangle[(corner + 2) % 3]].cast<double>() - origin;
            const Vec3d before = (a - old).cross(b - old);
            const Vec3d after = (a - place).cross(b - place);
            const double beforeSquared = before.squaredNorm();
            const double afterSquared = after.squaredNorm();
            if (beforeSquared == 0) continue;
            const double along = before.dot(after);
            if (along <= 0 || along * along < leastTurn * leastTurn * beforeSquared * afterSquared) return false;
            if (strictness != Strictness::Careful) continue;
            const double opposite = (b - a).squaredNorm();
            const double edges = opposite + (a - place).squaredNorm() + (b - place).squaredNorm();
            const double edgesBefore = opposite + (a - old).squaredNorm() + (b - old).squaredNorm();
            const double quality = 12 * afterSquared / (edges * edges);
            const double qualityBefore = 12 * beforeSquared / (edgesBefore * edgesBefore);
            if (quality < needleQuality * needleQuality && quality < qualityBefore) return false;
        }
        return true;
    };
    return sideKeeps(u, v) && sideKeeps(v, u);
}

// The link condition: whoever neighbours both ends forms a triangle with the edge, and no two triangles become one.
bool ContractionMesh::isAllowed(VertexId u, VertexId v, const Vec3d& place, Strictness strictness,
                                std::uint16_t& removes, Scratch& scratch) const {
    std::array<VertexId, 8> apexes;
    std::size_t shared = 0;
    for (const TriangleId t : around(u)) {
        const Triangle& triangle = m_triangles[t];
        if (!contains(triangle, v)) continue;
        if (shared == apexes.size()) return false;
        const VertexId apex = triangle[0] ^ triangle[1] ^ triangle[2] ^ u ^ v;
        if (std::find(apexes.begin(), apexes.begin() + long(shared), apex) != apexes.begin() + long(shared))
            return false;
        apexes[shared++] = apex;
    }
    if (shared == 0) return false;
    neighbours(v, scratch.otherRing);
    std::size_t common = 0;
    for (const VertexId w : scratch.otherRing)
        common += std::find(scratch.ring.begin(), scratch.ring.end(), w) != scratch.ring.end() ? 1 : 0;
    if (common != shared) return false;
    // A triangle on two apexes at u and another at v would fall together; and a triangle on an open edge that is all
    // that is left of its piece would vanish.
    bool both[2] = {false, false};
    for (int side = 0; side < 2; ++side)
        for (const TriangleId t : around(side == 0 ? u : v)) {
            const Triangle& triangle = m_triangles[t];
            if (contains(triangle, side == 0 ? v : u)) continue;
            std::size_t onApexes = 0;
            for (std::size_t i = 0; i < shared; ++i) onApexes += contains(triangle, apexes[i]) ? 1 : 0;
            both[side] = both[side] || onApexes >= 2;
        }
    if (both[0] && both[1]) return false;
    if (around(u).size() == shared && around(v).size() == shared) return false;
    removes = std::uint16_t(shared);
    return keepsShape(u, v, place, strictness);
}

ContractionMesh::Candidate ContractionMesh::bestCandidate(VertexId u, Strictness strictness, int exactly,
                                                          Scratch& scratch) const {
    Candidate best;
    if (m_listSize[u] == 0 || m_listSize[u] > mostTrianglesAround) return best;
    neighbours(u, scratch.ring);
    scratch.options.clear();
    const Vec3d origin = m_positions[u].cast<double>();
    const Quadric own(m_quadrics[u]);
    for (const VertexId v : scratch.ring) {
        if (v < u || m_listSize[v] > mostTrianglesAround) continue;
        const Kind ku = m_kinds[u];
        const Kind kv = m_kinds[v];
        const bool both = ku != Kind::Interior && kv != Kind::Interior;
        if (both && ku == Kind::Corner && kv == Kind::Corner && strictness != Strictness::LastResort) continue;
        if (both && !isConstrainedEdge(u, v)) continue;
        const Vec3d apart = m_positions[v].cast<double>() - origin;
        Quadric sum = Quadric(m_quadrics[v]).seenFrom(-apart);
        sum += own;
        Vec3d place;
        if (ku == kv && ku != Kind::Corner) {
            place = sum.minimum(apart / 2);
            // Where the planes are nearly parallel the optimum runs away; an end or the middle is as good.
            if ((place - apart / 2).squaredNorm() > 4 * apart.squaredNorm()) {
                place = apart / 2;
                if (sum.at(Vec3d::Zero()) < sum.at(place)) place = Vec3d::Zero();
                if (sum.at(apart) < sum.at(place)) place = apart;
            }
        } else if (ku == kv) {
            place = sum.at(Vec3d::Zero()) <= sum.at(apart) ? Vec3d(Vec3d::Zero()) : apart;
        } else {
            place = ku > kv ? Vec3d(Vec3d::Zero()) : apart;
        }
        scratch.options.push_back({float(std::max(0.0, sum.at(place))), v, place});
    }
    std::sort(scratch.options.begin(), scratch.options.end(),
              [](const auto& a, const auto& b) { return a.cost != b.cost ? a.cost < b.cost : a.other < b.other; });
    for (const auto& option : scratch.options) {
        std::uint16_t removes = 0;
        if (!isAllowed(u, option.other, option.place, strictness, removes, scratch)) continue;
        if (exactly != 0 && removes != exactly) continue;
        best = {option.cost, option.other, option.place.cast<float>(), removes};
        break;
    }
    return best;
}

std::uint64_t ContractionMesh::keyOf(VertexId u) const {
    // Costs are not negative, so their bits order like the numbers; +1 keeps clear of `taken`.
    const std::uint32_t step = std::bit_cast<std::uint32_t>(m_candidates[u].cost) >> costStepBits;
    return (std::uint64_t(step + 1) << 32) | scattered(u);
}

// Among overlapping candidates the cheapest goes first; a few rounds over what remains come close to taking them one by
// one.
std::vector<VertexId> ContractionMesh::chooseIndependent(std::vector<VertexId> candidates) {
    parallelFor(m_claims.size(), [&](std::size_t t) { m_claims[t] = unclaimed; });
    const auto forRegion = [&](VertexId u, const auto& visit) {
        for (const TriangleId t : around(u)) visit(m_claims[t]);
        for (const TriangleId t : around(m_candidates[u].other)) visit(m_claims[t]);
    };
    std::vector<VertexId> chosen;
    for (int round = 0; round < choiceRounds && !candidates.empty(); ++round) {
        parallelFor(
            candidates.size(),
            [&](std::size_t i) {
                const std::uint64_t key = keyOf(candidates[i]);
                forRegion(candidates[i], [&](std::uint64_t& claim) { lowerTo(claim, key); });
            },
            512);
        std::vector<std::uint8_t> state(candidates.size());  // 0 blocked by a cheaper one, 1 chosen, 2 next round
        parallelFor(
            candidates.size(),
            [&](std::size_t i) {
                const std::uint64_t key = keyOf(candidates[i]);
                bool wins = true;
                bool blocked = false;
                forRegion(candidates[i], [&](std::uint64_t& claim) {
                    wins = wins && claim == key;
                    blocked = blocked || claim == taken;
                });
                state[i] = wins ? 1 : blocked ? 0 : 2;
            },
            512);
        std::vector<VertexId> winners = parallelFilter(candidates, [&](std::size_t i) { return state[i] == 1; });
        candidates = parallelFilter(candidates, [&](std::size_t i) { return state[i] == 2; });
        if (round + 1 < choiceRounds) {
            parallelFor(
                candidates.size(),
                [&](std::size_t i) {
                    forRegion(candidates[i], [&](std::uint64_t& claim) {
                        std::atomic_ref<std::uint64_t>(claim).store(unclaimed, std::memory_order_relaxed);
                    });
                },
                512);
            parallelFor(
                winners.size(),
                [&](std::size_t i) { forRegion(winners[i], [&](std::uint64_t& claim) { claim = taken; }); }, 512);
        }
        chosen.insert(chosen.end(), winners.begin(), winners.end());
        if (winners.empty()) break;
    }
    return chosen;
}

// The wedges at both ends of the edge are joined side by side; what v carries elsewhere goes over to u as it is.
void ContractionMesh::mergeWedges(VertexId u, VertexId v, double share) {
    std::array<std::pair<WedgeId, WedgeId>, 8> joined;
    std::size_t count = 0;
    for (const TriangleId t : around(u)) {
        const Triangle& triangle = m_triangles[t];
        if (!contains(triangle, v)) continue;
        const WedgeId a = m_wedges[t][cornerOf(triangle, u)];
        const WedgeId b = m_wedges[t][cornerOf(triangle, v)];
        bool known = false;
        for (std::size_t i = 0; i < count; ++i) known = known || joined[i].first == a || joined[i].second == b;
        if (known) continue;
        joined[count++] = {a, b};
        if (!m_uvs.empty()) m_uvs[a] += float(share) * (m_uvs[b] - m_uvs[a]);
        if (!m_colors.empty())
            for (std::size_t i = 0; i < 4; ++i)
                m_colors[a][i] = std::uint8_t(double(m_colors[a][i]) +
                                              share * (double(m_colors[b][i]) - double(m_colors[a][i])) + 0.5);
    }
    for (const TriangleId t : around(v)) {
        WedgeId& wedge = m_wedges[t][cornerOf(m_triangles[t], v)];
        for (std::size_t i = 0; i < count; ++i)
            if (joined[i].second == wedge) {
                wedge = joined[i].first;
                break;
            }
    }
}

void ContractionMesh::contract(VertexId u) {
    const Candidate& candidate = m_candidates[u];
    const VertexId v = candidate.other;
    const Vec3d apart = m_positions[v].cast<double>() - m_positions[u].cast<double>();
    if (!m_wedges.empty()) {
        const double share = apart.squaredNorm() > 0
                                 ? std::clamp(candidate.place.cast<double>().dot(apart) / apart.squaredNorm(), 0.0, 1.0)
                                 : 0.0;
        mergeWedges(u, v, share);
    }
    Quadric sum = Quadric(m_quadrics[v]).seenFrom(-apart);
    sum += Quadric(m_quadrics[u]);
    const Kind kind = std::max(m_kinds[u], m_kinds[v]);
    const bool atOther = candidate.place == apart.cast<float>();
    // A vertex that does not move keeps its position bit for bit.
    if (atOther)
        m_positions[u] = m_positions[v];
    else if (!candidate.place.isZero(0))
        m_positions[u] = (m_positions[u].cast<double>() + candidate.place.cast<double>()).cast<float>();
    m_quadrics[u] = StoredQuadric(sum.seenFrom(candidate.place.cast<double>()));
    m_kinds[u] = kind;

    const std::size_t room = m_listSize[u] + m_listSize[v];
    const auto begin =
        std::uint32_t(std::atomic_ref<std::size_t>(m_poolUsed).fetch_add(room, std::memory_order_relaxed));
    std::uint32_t size = 0;
    const auto mark = [&](VertexId w, std::uint8_t change) {
        std::atomic_ref<std::uint8_t>(m_changes[w]).fetch_or(change, std::memory_order_relaxed);
    };
    const auto markCorners = [&](const Triangle& triangle) {
        for (const VertexId w : triangle) mark(w, candidateIsStale);
    };
    for (const TriangleId t : around(u)) {
        Triangle& triangle = m_triangles[t];
        if (!contains(triangle, v)) {
            m_lists[begin + size++] = t;
            markCorners(triangle);
            continue;
        }
        mark(triangle[0] ^ triangle[1] ^ triangle[2] ^ u ^ v, listHasDead | candidateIsStale);
    }
    for (const TriangleId t : around(v)) {
        Triangle& triangle = m_triangles[t];
        if (contains(triangle, u)) continue;
        triangle[cornerOf(triangle, v)] = u;
        m_lists[begin + size++] = t;
        markCorners(triangle);
    }
    for (const TriangleId t : around(u))
        if (contains(m_triangles[t], v)) m_triangles[t] = {0, 0, 0};
    std::sort(m_lists.begin() + begin, m_lists.begin() + begin + size);
    m_listBegin[u] = begin;
    m_listSize[u] = size;
    m_listSize[v] = 0;
    m_candidates[v] = {};
}

void ContractionMesh::filterTouchedLists() {
    parallelFor(m_positions.size(), [&](std::size_t v) {
        if ((m_changes[v] & listHasDead) == 0) return;
        m_changes[v] &= std::uint8_t(~listHasDead);
        TriangleId* begin = m_lists.data() + m_listBegin[v];
        TriangleId* end = std::remove_if(begin, begin + m_listSize[v], [&](TriangleId t) { return isDead(t); });
        m_listSize[v] = std::uint32_t(end - begin);
    });
}

// Drops dead triangles and vertices; the order of the others, and so every later tie, stays.
void ContractionMesh::compact() {
    const auto alive = [&](std::size_t t) { return !isDead(TriangleId(t)); };
    const auto used = [&](std::size_t v) { return m_listSize[v] > 0; };
    if (!m_wedges.empty()) m_wedges = parallelFilter(m_wedges, alive);
    m_sections = parallelFilter(m_sections, alive);
    m_triangles = parallelFilter(m_triangles, alive);
    std::vector<VertexId> number(m_positions.size());
    VertexId next = 0;
    for (std::size_t v = 0; v < number.size(); ++v) number[v] = used(v) ? next++ : next;
    parallelFor(m_triangles.size(), [&](std::size_t t) {
        for (VertexId& v : m_triangles[t]) v = number[v];
    });
    m_positions = parallelFilter(m_positions, used);
    m_quadrics = parallelFilter(m_quadrics, used);
    m_kinds = parallelFilter(m_kinds, used);
    m_changes = parallelFilter(m_changes, used);
    m_candidates = parallelFilter(m_candidates, used);
    for (Candidate& candidate : m_candidates) candidate.other = candidate.removes > 0 ? number[candidate.other] : 0;
    makeLists();
}

std::size_t ContractionMesh::pass(std::size_t target, Strictness strictness, const Progress& progress) {
    if (m_live <= target) return 0;
    filterTouchedLists();
    if (m_live < m_triangles.size() * 6 / 10 || m_poolUsed + m_live * 5 / 4 > m_lists.size()) compact();
    std::vector<VertexId> chosen = chooseForPass(strictness, progress);
    std::size_t removed = 0;
    for (const VertexId u : chosen) removed += m_candidates[u].removes;
    if (removed > m_live - target) {
        // The last pass takes only what is needed, cheapest first.
        std::sort(chosen.begin(), chosen.end(), [&](VertexId a, VertexId b) { return keyOf(a) < keyOf(b); });
        removed = 0;
        std::erase_if(chosen, [&](VertexId u) {
            if (removed + m_candidates[u].removes > m_live - target) return true;
            removed += m_candidates[u].removes;
            return false;
        });
    }
    parallelFor(
        chosen.size(), [&](std::size_t i) { contract(chosen[i]); }, 256);
    m_live -= removed;
    return removed;
}

std::size_t ContractionMesh::contractCheapest(int exactly, Strictness strictness, const Progress& progress) {
    filterTouchedLists();
    compact();
    findCandidates(strictness, exactly, progress);
    const std::vector<VertexId> candidates = withCandidate();
    const auto cheapest = std::min_element(candidates.begin(), candidates.end(),
                                           [&](VertexId a, VertexId b) { return keyOf(a) < keyOf(b); });
    if (cheapest == candidates.end()) return 0;
    const std::size_t removed = m_candidates[*cheapest].removes;
    contract(*cheapest);
    m_live -= removed;
    return removed;
}

void ContractionMesh::findCandidates(Strictness strictness, int exactly, const Progress& progress) {
    const bool all = strictness != m_strictness || exactly != m_exactly;
    m_strictness = strictness;
    m_exactly = exactly;
    parallelRanges(
        m_positions.size(),
        [&](std::size_t begin, std::size_t end) {
            progress.check();
            Scratch scratch;
            for (std::size_t v = begin; v < end; ++v) {
                if (!all && (m_changes[v] & candidateIsStale) == 0) continue;
                m_candidates[v] = bestCandidate(VertexId(v), strictness, exactly, scratch);
                m_changes[v] &= std::uint8_t(~candidateIsStale);
            }
        },
        1024);
}

std::vector<VertexId> ContractionMesh::chooseForPass(Strictness strictness, const Progress& progress) {
    while (true) {
        findCandidates(strictness, 0, progress);
        std::vector<VertexId> candidates = withCandidate();
        const auto cheaper = [&](VertexId a, VertexId b) { return keyOf(a) < keyOf(b); };
        if (const auto limit = std::size_t(double(candidates.size()) * shareOfPass); limit > fewCandidates) {
            std::nth_element(candidates.begin(), candidates.begin() + long(limit), candidates.end(), cheaper);
            candidates.resize(limit);
            std::sort(candidates.begin(), candidates.end());
        }
        std::vector<VertexId> chosen = chooseIndependent(std::move(candidates));
        progress.check();
        const std::size_t before = chosen.size();
        dropOutdated(chosen);
        // If all had been overtaken, their vertices are now looked at anew.
        if (!chosen.empty() || before == 0) return chosen;
    }
}

// A candidate is kept until something changes next to it. What changed one step further away shows only here.
void ContractionMesh::dropOutdated(std::vector<VertexId>& chosen) {
    std::vector<std::uint8_t> holds(chosen.size());
    parallelRanges(
        chosen.size(),
        [&](std::size_t begin, std::size_t end) {
            Scratch scratch;
            for (std::size_t i = begin; i < end; ++i) {
                const VertexId u = chosen[i];
                const Candidate& candidate = m_candidates[u];
                std::uint16_t removes = 0;
                neighbours(u, scratch.ring);
                holds[i] =
                    isAllowed(u, candidate.other, candidate.place.cast<double>(), m_strictness, removes, scratch);
                if (holds[i] == 0) m_changes[u] |= candidateIsStale;
            }
        },
        256);
    chosen = parallelFilter(chosen, [&](std::size_t i) { return holds[i] != 0; });
}

std::vector<VertexId> ContractionMesh::withCandidate() const {
    std::vector<VertexId> found;
    for (std::size_t v = 0; v < m_candidates.size(); ++v)
        if (m_candidates[v].removes > 0) found.push_back(VertexId(v));
    return found;
}

Mesh ContractionMesh::finish(const Mesh& source) {
    filterTouchedLists();
    compact();
    Mesh mesh;
    mesh.parts = source.parts;
    mesh.materials = source.materials;
    mesh.metresPerUnit = source.metresPerUnit;
    mesh.unitStated = source.unitStated;
    mesh.positions = std::move(m_positions);
    mesh.triangles = std::move(m_triangles);
    mesh.wedges = std::move(m_wedges);
    mesh.uvs = std::move(m_uvs);
    mesh.colors = std::move(m_colors);
    for (std::size_t t = 0; t < m_sections.size(); ++t) {
        if (t == 0 || m_sections[t] != m_sections[t - 1]) {
            Section section = source.sections[m_sections[t]];
            section.firstTriangle = TriangleId(t);
            section.triangleCount = 0;
            mesh.sections.push_back(section);
        }
        ++mesh.sections.back().triangleCount;
    }
    dropUnused(mesh);
    return mesh;
}

}  // namespace um
