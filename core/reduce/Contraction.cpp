#include "reduce/Contraction.h"

#include "base/Parallel.h"
#include "reduce/Stars.h"

#include <bit>
#include <boost/sort/pdqsort/pdqsort.hpp>
#include <cmath>
#include <limits>
#include <numeric>
#include <utility>

namespace um {

namespace {

// Vertices of a region: the data of so many stay in the cache of a core, and its rim is a small share of it.
constexpr std::size_t regionVertices = 8000;

// Vertices below which a mesh is one region.
constexpr std::size_t smallMesh = 2 * regionVertices;

// Of the triangles still to go, those that a round of several regions may take: the last ones, where the limit of cost
// is decided, are left to finer rounds.
constexpr double shareOfRound = 0.7;

// Of the vertices, those whose cheapest edge may go in one round at most.
constexpr double shareBelowLimit = 0.7;

// When that few are still to go, as a share, the cheapest everywhere are taken one by one.
constexpr double shareOneByOne = 0.03;

// Cells of the grid along each axis by which the surface is cut.
constexpr std::uint32_t cellsPerAxis = 64;

std::uint32_t spread(std::uint32_t x) {  // the bits of x, two apart
    x &= 0x3ff;
    x = (x | x << 16) & 0x030000ff;
    x = (x | x << 8) & 0x0300f00f;
    x = (x | x << 4) & 0x030c30c3;
    return (x | x << 2) & 0x09249249;
}

constexpr float costliest = std::numeric_limits<float>::max();

}  // namespace

// An edge from a vertex to a higher one.
struct Contraction::Entry {
    float cost;
    VertexId u, v;

    // Costs are not negative, so their bits order like the numbers. A vertex has one entry of those that are sorted.
    std::uint64_t rank() const { return std::uint64_t(std::bit_cast<std::uint32_t>(cost)) << 32 | u; }

    // The cheapest on top of a heap; ties by number, so that the order is always the same.
    bool operator<(const Entry& other) const {
        if (cost != other.cost) return cost > other.cost;
        return u != other.u ? u > other.u : v > other.v;
    }
};

struct Contraction::Region {
    std::vector<VertexId> cheap;  // vertices whose cheapest edge is below the round's limit
    std::uint32_t number = 0;
    std::size_t removed = 0;
    std::size_t most = 0;                  // triangles that may go
    std::vector<std::size_t> mayGo, gone;  // of each part, where parts keep a least number
};

// Room that is used again from one question to the next.
struct Contraction::Scratch {
    RuleScratch rules;
    EdgeCosts costs;
    std::vector<VertexId> others;
};

struct Contraction::Round {
    float limit;
    Strictness strictness;
    bool isFine;  // whether each contraction's neighbours are looked at again at once, not with the next round
};

Contraction::Contraction(WorkingMesh mesh, const Mesh& source, std::vector<std::size_t> leastOfParts)
    : m_mesh(std::move(mesh)),
      m_live(m_mesh.triangles.size()),
      m_trianglesOfParts(trianglesByPart(source)),
      m_leastOfParts(std::move(leastOfParts)) {
    for (const Section& section : source.sections) m_partOfSections.push_back(section.part);
    m_mergedInto.resize(m_mesh.vertexCount());
    std::iota(m_mergedInto.begin(), m_mergedInto.end(), VertexId(0));
    m_leastCosts.resize(m_mesh.vertexCount());
    m_cheapest.resize(m_mesh.vertexCount());
    m_knowledge.resize(m_mesh.vertexCount());
    m_regionOf.resize(m_mesh.vertexCount());
}

// The cheapest edge to a higher neighbour, of those that are dearer than `above`.
Contraction::Entry Contraction::cheapestOf(VertexId v, const Entry* above, Scratch& scratch) const {
    std::vector<VertexId>& others = scratch.others;
    others.clear();
    const auto look = [&](VertexId w) {
        if (w > v && kindsAllow(m_mesh, v, w, Strictness::LastResort)) others.push_back(w);
    };
    // A border's last neighbour comes only before.
    const bool isRing = m_mesh.isRing(v);
    for (const auto& [next, last] : scratch.rules.around) {
        look(next);
        if (!isRing) look(last);
    }
    const std::span<const float> costs = scratch.costs.of(m_mesh, v, scratch.rules.around, others);
    Entry least{costliest, v, noIndex};
    for (std::size_t i = 0; i < others.size(); ++i) {
        const Entry entry{costs[i], v, others[i]};
        if (least < entry && (above == nullptr || entry < *above)) least = entry;
    }
    return least;
}

void Contraction::consider(VertexId v, const Entry* above, Scratch& scratch) {
    const bool isTooBig = !scratch.rules.around.gather(m_mesh, v);
    const Entry entry = isTooBig ? Entry{costliest, v, noIndex} : cheapestOf(v, above, scratch);
    m_leastCosts[v] = entry.cost;
    m_cheapest[v] = entry.v;
    m_knowledge[v] = above != nullptr || isTooBig ? Knowledge::Refused : Knowledge::Full;
}

void Contraction::findCheapest(const Progress& progress) {
    parallelRanges(
        m_mesh.vertexCount(),
        [&](std::size_t begin, std::size_t end) {
            progress.check();
            Scratch scratch;
            for (std::size_t v = begin; v < end; ++v)
                if (m_knowledge[v] == Knowledge::None && m_mesh.isUsed(VertexId(v)))
                    consider(VertexId(v), nullptr, scratch);
        },
        2048);
}

bool Contraction::isAnyEdgeLeft() const {
    for (std::size_t v = 0; v < m_leastCosts.size(); ++v)
        if (m_mesh.isUsed(VertexId(v)) && (m_leastCosts[v] < costliest || m_knowledge[v] == Knowledge::None))
            return true;
    return false;
}

// The cost below which lie the cheapest edges of so many vertices.
float Contraction::limitFor(std::size_t vertices) const {
    // Costs are not negative, so their bits order like the numbers: a histogram of the upper bits is exact enough.
    constexpr int shift = 16;
    constexpr std::size_t bins = std::size_t(1) << (32 - shift), chunkSize = 1 << 17;
    std::vector<std::uint32_t> histograms(bins * std::max<std::size_t>(1, chunkCount(m_leastCosts.size(), chunkSize)));
    parallelChunks(m_leastCosts.size(), chunkSize, [&](std::size_t chunk, std::size_t begin, std::size_t end) {
        std::uint32_t* histogram = histograms.data() + chunk * bins;
        for (std::size_t v = begin; v < end; ++v)
            if (m_mesh.isUsed(VertexId(v))) ++histogram[std::bit_cast<std::uint32_t>(m_leastCosts[v]) >> shift];
    });
    std::size_t below = 0;
    for (std::size_t i = 0; i < bins; ++i) {
        for (std::size_t at = i; at < histograms.size(); at += bins) below += histograms[at];
        if (below >= std::max<std::size_t>(1, vertices))
            return std::bit_cast<float>(std::uint32_t((i + 1) << shift) - 1);
    }
    return costliest;
}

// Cells along a Morton curve, from another corner in each round, gathered into regions of similar size.
// @returns how many they are
std::size_t Contraction::cut(std::size_t count) {
    constexpr std::size_t chunkSize = 1 << 15;
    std::vector<Box3f> boxes(chunkCount(m_mesh.vertexCount(), chunkSize));
    parallelChunks(m_mesh.vertexCount(), chunkSize, [&](std::size_t chunk, std::size_t begin, std::size_t end) {
        Box3f box;
        for (std::size_t v = begin; v < end; ++v)
            if (m_mesh.isUsed(VertexId(v))) box.extend(m_mesh.positions[v]);
        boxes[chunk] = box;
    });
    Box3f box;
    for (const Box3f& some : boxes) box.extend(some);
    const Vec3d size = (box.max() - box.min()).cast<double>();
    const double cell = std::max(size.maxCoeff(), 1e-30) / (0.5 * cellsPerAxis);
    // Steps of the golden ratio and its kin never come back to the same place.
    Vec3d shift = Vec3d(0.7548776662, 0.5698402910, 0.8191725134) * double(m_rounds) * cellsPerAxis / 2;
    for (double& along : shift) along = std::fmod(along, double(cellsPerAxis) / 2);
    const auto cellOf = [&](VertexId v) {
        std::uint32_t code = 0;
        for (int i = 0; i < 3; ++i) {
            const double at = double(m_mesh.positions[v][i] - box.min()[i]) / cell + shift[i];
            code |= spread(std::min(std::uint32_t(std::max(0.0, at)), cellsPerAxis - 1)) << i;
        }
        return code;
    };
    std::vector<std::uint32_t> population(std::size_t(cellsPerAxis) * cellsPerAxis * cellsPerAxis, 0);
    parallelFor(m_regionOf.size(), [&](std::size_t v) {
        m_regionOf[v] = cellOf(VertexId(v));
        if (m_mesh.isUsed(VertexId(v)))
            std::atomic_ref(population[m_regionOf[v]]).fetch_add(1, std::memory_order_relaxed);
    });
    const auto used = std::accumulate(population.begin(), population.end(), std::size_t(0));
    std::uint32_t region = 0;
    std::vector<std::uint32_t> regionOfCell(population.size());
    std::size_t inRegion = 0;
    for (std::size_t c = 0; c < population.size(); ++c) {
        if (inRegion >= (used + count - 1) / count) {
            ++region;
            inRegion = 0;
        }
        regionOfCell[c] = region;
        inRegion += population[c];
    }
    parallelFor(m_regionOf.size(), [&](std::size_t v) { m_regionOf[v] = regionOfCell[m_regionOf[v]]; });
    return region + 1;
}

std::vector<Contraction::Region> Contraction::regionsBelow(float limit, std::size_t count) const {
    std::vector<Region> regions(count);
    for (std::size_t r = 0; r < regions.size(); ++r) regions[r].number = std::uint32_t(r);
    const std::vector<VertexId> cheap = parallelIndices(
        m_leastCosts.size(), [&](std::size_t v) { return m_leastCosts[v] <= limit && m_mesh.isUsed(VertexId(v)); });
    for (const VertexId v : cheap) regions[m_regionOf[v]].cheap.push_back(v);
    return regions;
}

// A vertex next to another region lies on a rim: what lies around it is read from there.
void Contraction::markRims() {
    const std::vector<std::uint32_t> own = m_regionOf;
    parallelFor(m_mesh.triangles.size(), [&](std::size_t t) {
        const auto [a, b, c] = m_mesh.triangles[t];
        if (own[a] == own[b] && own[b] == own[c]) return;
        for (const VertexId v : {a, b, c}) std::atomic_ref(m_regionOf[v]).store(noIndex, std::memory_order_relaxed);
    });
}

// Asks the memory for what will be looked at next, one step after the other.
// @param known  edges, the next one last
void Contraction::fetchNext(const std::vector<Entry>& known) const {
    constexpr std::size_t ahead = 9;
    if (known.size() < ahead) return;
    const auto forEnds = [&](std::size_t fromLast, const auto& visit) {
        visit(known[known.size() - fromLast].u);
        visit(known[known.size() - fromLast].v);
    };
    forEnds(ahead, [&](VertexId v) { m_mesh.fetch(v); });
    forEnds(6, [&](VertexId v) { m_mesh.fetchCorners(v); });
    forEnds(3, [&](VertexId v) { m_mesh.fetchAttributes(v); });
    __builtin_prefetch(&m_knowledge[known[known.size() - ahead].u]);
    __builtin_prefetch(&m_leastCosts[known[known.size() - ahead].u]);
}

void Contraction::contractRegion(Region& region, const Round& round, const Progress& progress) {
    Scratch scratch;
    std::vector<Entry> known, heap;
    std::vector<VertexId> changed;
    const auto isFree = [&](VertexId v) { return m_regionOf[v] == region.number; };
    const auto isWanted = [&](VertexId v) {
        return m_leastCosts[v] <= round.limit && m_cheapest[v] != noIndex && isFree(v) && isFree(m_cheapest[v]);
    };
    const auto entryOf = [&](VertexId v) { return Entry{m_leastCosts[v], v, m_cheapest[v]}; };
    const auto push = [&](VertexId v) {
        if (!isWanted(v)) return;
        heap.push_back(entryOf(v));
        std::push_heap(heap.begin(), heap.end());
    };
    // What is known from the start is sorted at once; only what comes to it goes through a heap.
    for (const VertexId v : region.cheap)
        if (isWanted(v)) known.push_back(entryOf(v));
    boost::sort::pdqsort_branchless(known.begin(), known.end(),
                                    [](const Entry& x, const Entry& y) { return x.rank() > y.rank(); });
    const auto takeCheapest = [&] {
        std::vector<Entry>& from = !heap.empty() && (known.empty() || known.back() < heap.front()) ? heap : known;
        if (&from == &heap) std::pop_heap(heap.begin(), heap.end());
        const Entry entry = from.back();
        from.pop_back();
        return entry;
    };
    std::size_t sinceCheck = 0;
    while ((!heap.empty() || !known.empty()) && region.removed < region.most) {
        if (++sinceCheck % 1024 == 0) progress.check();
        const Entry entry = takeCheapest();
        fetchNext(known);
        const auto [cost, u, v] = entry;
        const bool isKnown = m_mesh.isUsed(u) && m_knowledge[u] != Knowledge::None;
        if (!isKnown || m_leastCosts[u] != cost || m_cheapest[u] != v) continue;
        if (!m_mesh.isUsed(v)) {  // gone with triangles that fell together
            consider(u, nullptr, scratch);
            push(u);
            continue;
        }
        const EdgeCost best = costOfEdge(m_mesh, u, v);
        const int removes = allowedRemoval(m_mesh, u, v, best, round.strictness, scratch.rules);
        if (removes == 0 || region.removed + std::size_t(removes) > region.most ||
            (!region.mayGo.empty() && !takeFromParts(region, u, v))) {
            consider(u, &entry, scratch);
            push(u);
            continue;
        }
        region.removed += m_mesh.contract(u, v, best.place);
        m_mergedInto[v] = u;
        changed.assign(1, u);
        m_knowledge[u] = Knowledge::None;
        // A neighbour whose cheapest edge led elsewhere keeps it: those to here have only become dearer.
        const auto look = [&](VertexId w) {
            const bool isTouched = m_cheapest[w] == u || m_cheapest[w] == v || m_knowledge[w] == Knowledge::Refused;
            if (!isTouched || m_knowledge[w] == Knowledge::None) return;
            m_knowledge[w] = Knowledge::None;
            changed.push_back(w);
        };
        m_mesh.forCorners(u, [&](CornerId c) {
            look(m_mesh.nextOf(c));
            look(m_mesh.lastOf(c));
        });
        if (!round.isFine) continue;
        for (const VertexId w : changed) {
            consider(w, nullptr, scratch);
            push(w);
        }
    }
}

// Whether the parts that the edge's triangles belong to can spare them; if so, they are counted as gone.
bool Contraction::takeFromParts(Region& region, VertexId u, VertexId v) const {
    std::array<std::uint32_t, 8> parts;
    std::size_t count = 0;
    m_mesh.forCorners(u, [&](CornerId c) {
        if ((m_mesh.nextOf(c) == v || m_mesh.lastOf(c) == v) && count < parts.size())
            parts[count++] = m_partOfSections[m_mesh.sections[c / 3]];
    });
    for (std::size_t i = 0; i < count; ++i) {
        const auto demand = std::size_t(std::count(parts.begin(), parts.begin() + long(count), parts[i]));
        if (region.mayGo[parts[i]] < demand) return false;
    }
    for (std::size_t i = 0; i < count; ++i) {
        --region.mayGo[parts[i]];
        ++region.gone[parts[i]];
    }
    return true;
}

// What parts may lose is dealt out by the triangles that they have in each region.
void Contraction::shareLeastOfParts(std::vector<Region>& regions) const {
    const std::size_t parts = m_leastOfParts.size();
    std::vector<std::vector<std::size_t>> corners(regions.size(), std::vector<std::size_t>(parts, 0));
    for (TriangleId t = 0; t < m_mesh.triangles.size(); ++t)
        if (!m_mesh.isDead(t))
            for (const VertexId v : m_mesh.triangles[t]) ++corners[m_regionOf[v]][m_partOfSections[m_mesh.sections[t]]];
    for (std::size_t r = 0; r < regions.size(); ++r) {
        regions[r].gone.assign(parts, 0);
        regions[r].mayGo.assign(parts, 0);
        for (std::size_t part = 0; part < parts; ++part) {
            const std::size_t all = m_trianglesOfParts[part], least = m_leastOfParts[part];
            const double share =
                regions.size() == 1 ? 1 : double(corners[r][part]) / (3.0 * double(std::max<std::size_t>(1, all)));
            if (all > least) regions[r].mayGo[part] = std::size_t(double(all - least) * share);
        }
    }
}

// Those of parts that thinning might leave with fewer triangles than they keep at least: a star of k neighbours leaves
// a vertex in the stead of k + 1, so that of n triangles there are n / 17 - 4 left at least.
std::vector<std::uint8_t> Contraction::scarceSections() const {
    constexpr std::size_t enough = 100;
    static_assert(enough > 5 * (WorkingMesh::mostOfPlain + 1));
    if (m_leastOfParts.empty()) return {};
    std::vector<std::uint8_t> scarce;
    for (const std::uint32_t part : m_partOfSections)
        scarce.push_back(m_trianglesOfParts[part] < enough * m_leastOfParts[part] ? 1 : 0);
    return scarce;
}

void Contraction::thin(double share, const Progress& progress) {
    const Stars stars = findStars(m_mesh, share, scarceSections(), progress.span(0, 0.7));
    m_mesh.drawTogether(stars, progress.span(0.7, 0.9));
    m_mergedInto = stars.centres;
    compact();
    m_live = m_mesh.triangles.size();
    std::fill(m_trianglesOfParts.begin(), m_trianglesOfParts.end(), 0);
    for (const std::uint16_t section : m_mesh.sections) ++m_trianglesOfParts[m_partOfSections[section]];
    progress.at(1);
}

std::size_t Contraction::round(std::size_t target, Strictness strictness, bool isFine, const Progress& progress) {
    if (m_live * 2 < m_mesh.triangles.size()) compact();
    findCheapest(progress);
    const std::size_t needed = m_live - target;
    const std::size_t vertices = m_live / 2;
    const bool isWhole = isFine || vertices < smallMesh || double(needed) < shareOneByOne * double(m_live);
    Round round{costliest, strictness, isWhole};
    std::size_t regionCount = 1;
    if (isWhole) {
        // What could not go at once is tried again before anything dearer; where nothing could, all are looked through.
        if (!isFine)
            round.limit =
                limitFor(vertices >= smallMesh ? 2 * needed : std::size_t(shareBelowLimit * double(vertices)));
        m_regionOf.assign(m_mesh.vertexCount(), 0);
    } else {
        const double wanted = std::min(shareOfRound * double(needed), shareBelowLimit * double(vertices));
        round.limit = limitFor(std::size_t(wanted));
        regionCount = cut(vertices / regionVertices);
    }
    std::vector<Region> regions = regionsBelow(round.limit, regionCount);
    if (isWhole) {
        regions[0].most = needed;
    } else {
        // So that even surfaces without any error stop in time, each region may take its share of what is to go.
        std::size_t sum = 1;
        for (const Region& region : regions) sum += region.cheap.size();
        for (Region& region : regions)
            region.most = std::size_t(double(needed) * double(region.cheap.size()) / double(sum));
    }
    if (!m_leastOfParts.empty()) shareLeastOfParts(regions);
    if (!isWhole) markRims();
    ++m_rounds;
    parallelFor(
        regions.size(), [&](std::size_t r) { contractRegion(regions[r], round, progress); }, 1);
    std::size_t removed = 0;
    for (const Region& region : regions) {
        removed += region.removed;
        for (std::size_t part = 0; part < region.gone.size(); ++part) m_trianglesOfParts[part] -= region.gone[part];
    }
    m_live -= removed;
    return removed;
}

// One triangle is left too many, and inner edges take two: the cheapest border edge fits exactly.
bool Contraction::takeBorderTriangle(Strictness strictness) {
    std::vector<Entry> entries;
    std::vector<Spoke> spokes;
    RuleScratch scratch;
    for (VertexId v = 0; v < m_mesh.vertexCount(); ++v) {
        if (!m_mesh.isUsed(v) || m_mesh.isLongerThan(v, Fan::mostTriangles)) continue;
        m_mesh.spokesOf(v, spokes);
        for (const Spoke& spoke : spokes)
            if (spoke.vertex > v && spoke.isBorder())
                entries.push_back({costOfEdge(m_mesh, v, spoke.vertex).cost, v, spoke.vertex});
    }
    std::sort(entries.rbegin(), entries.rend());
    for (const Entry& entry : entries) {
        const EdgeCost best = costOfEdge(m_mesh, entry.u, entry.v);
        if (allowedRemoval(m_mesh, entry.u, entry.v, best, strictness, scratch) != 1) continue;
        const std::uint32_t part = m_partOfSections[m_mesh.sections[m_mesh.firstCorner[entry.u] / 3]];
        if (!m_leastOfParts.empty()) {
            if (m_trianglesOfParts[part] <= m_leastOfParts[part]) continue;
            --m_trianglesOfParts[part];
        }
        m_mesh.contract(entry.u, entry.v, best.place);
        m_mergedInto[entry.v] = entry.u;
        m_knowledge.assign(m_knowledge.size(), Knowledge::None);
        --m_live;
        return true;
    }
    return false;
}

bool Contraction::contractTo(std::size_t target, const Progress& progress, Strictness loosest) {
    const std::size_t from = m_live;
    // Each round takes a share of what is there, so that the logarithm of the count falls evenly.
    const auto shareDone = [&] {
        return std::log(double(from) / double(m_live)) / std::max(1e-9, std::log(double(from) / double(target)));
    };
    for (const Strictness strictness : {Strictness::Careful, Strictness::Relaxed, Strictness::LastResort}) {
        if (strictness > loosest) break;
        // What was refused under other rules, or for a neighbourhood that has changed since, is looked at again; only
        // when all is refused at once, this strictness is done with.
        m_knowledge.assign(m_knowledge.size(), Knowledge::None);
        bool isAllKnown = true, isFine = false;
        while (m_live > target) {
            progress.at(shareDone());
            if (m_live - target == 1)
                if (takeBorderTriangle(strictness)) break;
            const std::size_t goal = m_live - target == 1 ? target - 1 : target;
            const std::size_t removed = round(goal, strictness, isFine, progress);
            isFine = removed == 0;
            if (removed > 0) {
                isAllKnown = false;
            } else if (!isAnyEdgeLeft()) {
                if (std::exchange(isAllKnown, true)) break;
                m_knowledge.assign(m_knowledge.size(), Knowledge::None);
            }
        }
    }
    return m_live <= target;
}

std::vector<VertexId> Contraction::destinations() const {
    std::vector<VertexId> into = m_paths.front();
    for (auto path = m_paths.begin() + 1; path != m_paths.end(); ++path)
        parallelFor(into.size(), [&](std::size_t v) {
            if (into[v] != noIndex) into[v] = (*path)[into[v]];
        });
    return into;
}

void Contraction::compact() {
    const std::vector<VertexId> used =
        parallelIndices(m_mesh.vertexCount(), [&](std::size_t v) { return m_mesh.isUsed(VertexId(v)); });
    m_leastCosts = gathered(m_leastCosts, used);
    m_cheapest = gathered(m_cheapest, used);
    m_knowledge = gathered(m_knowledge, used);
    const std::vector<VertexId> number = m_mesh.compact();
    std::vector<VertexId>& path = m_paths.emplace_back(number.size());
    parallelFor(path.size(), [&](std::size_t v) {
        VertexId into = VertexId(v);
        while (m_mergedInto[into] != into) into = m_mergedInto[into];
        path[v] = number[into];
    });
    parallelFor(m_cheapest.size(), [&](std::size_t v) {
        if (m_cheapest[v] == noIndex) return;
        m_cheapest[v] = number[m_cheapest[v]];
        // A neighbour may have gone with triangles that fell together.
        if (m_cheapest[v] == noIndex) m_knowledge[v] = Knowledge::None;
    });
    m_regionOf = std::vector<std::uint32_t>(m_mesh.vertexCount(), 0);
    m_mergedInto = std::vector<VertexId>(m_mesh.vertexCount());
    std::iota(m_mergedInto.begin(), m_mergedInto.end(), VertexId(0));
}

void Contraction::finish() {
    compact();
}

}  // namespace um
