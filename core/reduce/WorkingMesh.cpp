#include "reduce/WorkingMesh.h"

#include "base/Parallel.h"
#include "reduce/Fan.h"
#include "reduce/Sides.h"

#include <cmath>

namespace um {

namespace {

// Protected lines weigh as much as a face of twice their squared length.
constexpr double quadricLineWeight = 2;

// The rim of a thin plate has no faces that tell when it shrinks: it weighs as much as what is lost then.
constexpr double foldWeight = 0.25;
constexpr double foldCosine = -0.8;  // between its faces
constexpr double mayBeFolded = 0.7;  // the mean normal of a vertex at a fold is shorter

// A vertex of more triangles is a pole: looking at all pairs of them would cost the square.
constexpr std::size_t poleTriangles = 4096;

}  // namespace

Influences blend(const Influences& a, const Influences& b, double share) {
    if (a == b) return a;
    std::array<std::pair<float, std::uint16_t>, 8> found{};
    std::size_t count = 0;
    const auto add = [&](const Influences& from, double factor) {
        for (std::size_t i = 0; i < 4; ++i) {
            if (from.weights[i] <= 0) continue;
            std::size_t at = 0;
            while (at < count && found[at].second != from.joints[i]) ++at;
            if (at == count) found[count++] = {0.0f, from.joints[i]};
            found[at].first += float(factor) * from.weights[i];
        }
    };
    add(a, 1 - share);
    add(b, share);
    std::sort(found.begin(), found.begin() + long(count), [](const auto& x, const auto& y) {
        return x.first != y.first ? x.first > y.first : x.second < y.second;
    });
    Influences result;
    float sum = 0;
    for (std::size_t i = 0; i < std::min<std::size_t>(4, count); ++i) sum += found[i].first;
    for (std::size_t i = 0; i < std::min<std::size_t>(4, count); ++i) {
        result.joints[i] = found[i].second;
        result.weights[i] = found[i].first / sum;
    }
    return result;
}

double influenceDifference(const Influences& a, const Influences& b) {
    double difference = 0;
    for (std::size_t i = 0; i < 4; ++i) {
        double other = 0;
        for (std::size_t j = 0; j < 4; ++j)
            if (b.joints[j] == a.joints[i]) other += b.weights[j];
        difference += std::max(0.0, double(a.weights[i]) - other);
    }
    return difference;
}

WorkingMesh::WorkingMesh(const Mesh& source, const Treatment& treatment, const Progress& progress)
    : positions(source.positions),
      influences(source.influences),
      m_protect(treatment.protect),
      m_topology(treatment.topology),
      m_leastCreaseCosine(std::cos(treatment.protect.creaseDegrees * pi / 180)),
      m_farDistance(treatment.farDistance) {
    for (const Morph& morph : source.morphs) morphs.push_back(morph.offsets);
    m_skinScale = source.influences.empty() ? 0 : 0.02 * diagonal(source);
    const bool keepsNormals = treatment.keepsNormals && !source.normals.empty();
    const bool carries = !source.uvs.empty() || !source.secondUvs.empty() || !source.colors.empty() || keepsNormals;
    takeTriangles(source, carries);
    linkCorners();
    progress.at(0.3);
    if (carries) {
        std::vector<WedgeId> sourceWedges;
        if (isAnyWedgeShared(source.wedgeCount())) {
            for (TriangleId t = 0; t < wedges.size(); ++t) {
                sourceWedges.insert(sourceWedges.end(), wedges[t].begin(), wedges[t].end());
                wedges[t] = {3 * t, 3 * t + 1, 3 * t + 2};
            }
        }
        attributes = Attributes(source, sourceWedges, keepsNormals);
        if (!source.wedges.empty()) joinEqualWedges();
    }
    progress.at(0.6);
    prepareVertices(treatment);
    if (!treatment.knownQuadrics.empty()) quadrics = treatment.knownQuadrics;
    progress.at(1);
}

// Those with three different corners.
void WorkingMesh::takeTriangles(const Mesh& source, bool carries) {
    const std::vector<TriangleId> whole = parallelIndices(source.triangleCount(), [&](std::size_t t) {
        const Triangle& triangle = source.triangles[t];
        return triangle[0] != triangle[1] && triangle[1] != triangle[2] && triangle[2] != triangle[0];
    });
    triangles = gathered(source.triangles, whole);
    sections = gathered(sectionOfTriangles(source), whole);
    if (carries) wedges = gathered(source.wedges.empty() ? source.triangles : source.wedges, whole);
}

// Whether corners at different vertices have a wedge in common.
bool WorkingMesh::isAnyWedgeShared(std::size_t wedgeCount) const {
    // Any of them owns it; then another one sees that it does not.
    RawVector<VertexId> owners(wedgeCount);
    std::atomic<bool> isShared = false;
    parallelFor(wedges.size(), [&](std::size_t t) {
        for (std::size_t k = 0; k < 3; ++k)
            std::atomic_ref(owners[wedges[t][k]]).store(triangles[t][k], std::memory_order_relaxed);
    });
    parallelFor(wedges.size(), [&](std::size_t t) {
        for (std::size_t k = 0; k < 3; ++k)
            if (owners[wedges[t][k]] != triangles[t][k]) isShared.store(true, std::memory_order_relaxed);
    });
    return isShared;
}

// A corner differs from its neighbour only where a value does that is carried.
void WorkingMesh::joinEqualWedges() {
    parallelFor(positions.size(), [&](std::size_t v) {
        const CornerId first = firstCorner[v];
        forCorners(VertexId(v), [&](CornerId c) {
            WedgeId& own = wedges[c / 3][c % 3];
            for (CornerId d = first; d != c && own != wedgeAt(d); d = nextCorner[d])
                if (attributes.areEqual(own, wedgeAt(d))) own = wedgeAt(d);
        });
    });
}

void WorkingMesh::linkCorners() {
    // Given back first: there may have been many more.
    firstCorner = std::vector<CornerId>();
    nextCorner = std::vector<CornerId>();
    firstCorner.assign(positions.size(), noIndex);
    nextCorner.resize(3 * triangles.size());
    // Each slice of the vertices has its lists filled by one thread: the looking is cheap, the linking is not.
    constexpr std::size_t slices = 4, leastOfSlice = 4096;
    const std::size_t slice = std::max(leastOfSlice, positions.size() / slices + 1);
    parallelChunks(positions.size(), slice, [&](std::size_t, std::size_t begin, std::size_t end) {
        for (std::size_t c = nextCorner.size(); c-- > 0;) {
            const VertexId v = triangles[c / 3][c % 3];
            if (v < begin || v >= end) continue;
            nextCorner[c] = firstCorner[v];
            firstCorner[v] = CornerId(c);
        }
    });
}

void WorkingMesh::spokesOf(VertexId v, std::vector<Spoke>& spokes) const {
    spokes.clear();
    const auto spokeTo = [&](VertexId w) -> Spoke& {
        for (Spoke& spoke : spokes)
            if (spoke.vertex == w) return spoke;
        spokes.push_back({w});
        return spokes.back();
    };
    forCorners(v, [&](CornerId c) {
        const Triangle& triangle = triangles[c / 3];
        const CornerId k = c % 3;
        Spoke& out = spokeTo(triangle[k == 2 ? 0 : k + 1]);
        out.broken = out.broken || out.out != noIndex;
        out.out = c;
        Spoke& in = spokeTo(triangle[k == 0 ? 2 : k - 1]);
        in.broken = in.broken || in.in != noIndex;
        in.in = c;
    });
}

Protection WorkingMesh::protectionOf(const Spoke& spoke) const {
    // What is not a surface has no way to go along, unless it is to become one.
    if (spoke.broken)
        return m_topology == TopologyRule::MayChange ? Protection::Off : std::max(Protection::On, m_protect.borders);
    if (spoke.isBorder()) return m_protect.borders;
    Protection found = Protection::Off;
    const auto demand = [&](Protection protection) { found = std::max(found, protection); };
    const TriangleId out = spoke.out / 3, in = spoke.in / 3;
    if (sections[out] != sections[in]) demand(m_protect.materials);
    if (!wedges.empty()) {
        // A seam has two sides at both ends; where it has but one at an end, as around a pole, the surface may shrink
        // there.
        const WedgeId farOut = wedges[out][(spoke.out % 3 + 1) % 3], farIn = wedges[in][(spoke.in % 3 + 2) % 3];
        if (wedgeAt(spoke.out) != wedgeAt(spoke.in) && farOut != farIn)
            demand(attributes.differBesidesNormals(wedgeAt(spoke.out), wedgeAt(spoke.in)) ||
                           attributes.differBesidesNormals(farOut, farIn)
                       ? m_protect.seams
                       : m_protect.creases);
    }
    if (m_protect.creases > found && bendsBeyond(m_leastCreaseCosine, spoke)) demand(m_protect.creases);
    return found;
}

// @param spoke  between two faces
// @param cosine  of the angle between them
bool WorkingMesh::bendsBeyond(double cosine, const Spoke& spoke) const {
    const Vec3d here = place(vertexAt(spoke.out)), edge = place(spoke.vertex) - here;
    const Vec3d left = edge.cross(place(lastOf(spoke.out)) - here);
    const Vec3d right = (place(nextOf(spoke.in)) - here).cross(edge);
    return left.dot(right) < cosine * left.norm() * right.norm();
}

Protection WorkingMesh::protectionOfEdge(VertexId u, VertexId v) const {
    Spoke spoke{v};
    forCorners(u, [&](CornerId c) {
        if (nextOf(c) == v) {
            spoke.broken = spoke.broken || spoke.out != noIndex;
            spoke.out = c;
        } else if (lastOf(c) == v) {
            spoke.broken = spoke.broken || spoke.in != noIndex;
            spoke.in = c;
        }
    });
    return protectionOf(spoke);
}

std::vector<std::pair<VertexId, VertexId>> WorkingMesh::lines() const {
    std::vector<std::pair<VertexId, VertexId>> found;
    std::vector<Spoke> spokes;
    for (VertexId v = 0; v < vertexCount(); ++v) {
        if (!isUsed(v) || kinds[v] == Kind::Interior || isLongerThan(v, poleTriangles)) continue;
        spokesOf(v, spokes);
        for (const Spoke& spoke : spokes)
            if (spoke.vertex > v && protectionOf(spoke) != Protection::Off) found.push_back({v, spoke.vertex});
    }
    return found;
}

bool WorkingMesh::isLongerThan(VertexId v, std::size_t triangleCount) const {
    std::size_t count = 0;
    for (CornerId c = firstCorner[v]; c != noIndex; c = nextCorner[c])
        if (++count > triangleCount) return true;
    return false;
}

bool WorkingMesh::influencesChangeAt(VertexId v, const std::vector<Spoke>& spokes) const {
    constexpr double noticeable = 0.02;
    return std::any_of(spokes.begin(), spokes.end(), [&](const Spoke& spoke) {
        return influenceDifference(influences[v], influences[spoke.vertex]) > noticeable;
    });
}

Kind WorkingMesh::kindOf(VertexId v, const std::vector<Spoke>& spokes, const Treatment& treatment) const {
    if (!treatment.knownKinds.empty()) return treatment.knownKinds[v];
    int lines = 0;
    bool isHard = !treatment.locked.empty() && treatment.locked[v] != 0, isBroken = false;
    for (const Spoke& spoke : spokes) {
        const Protection protection = protectionOf(spoke);
        isBroken = isBroken || spoke.broken;
        isHard = isHard || protection == Protection::Hard;
        lines += protection != Protection::Off ? 1 : 0;
    }
    const bool skinIsHard = m_protect.skin == Protection::Hard && !influences.empty();
    if (isHard || (skinIsHard && influencesChangeAt(v, spokes))) return Kind::Locked;
    if (lines == 0) return Kind::Interior;
    return lines == 2 && !isBroken ? Kind::Feature : Kind::Corner;
}

bool WorkingMesh::isPlainlyInside(VertexId v) const {
    std::array<VertexId, mostOfPlain> nexts, lasts;
    std::size_t count = 0;
    const CornerId first = firstCorner[v];
    for (CornerId c = first; c != noIndex; c = nextCorner[c]) {
        if (count == mostOfPlain || !carriesSame(c, first)) return false;
        nexts[count] = nextOf(c);
        lasts[count++] = lastOf(c);
    }
    for (std::size_t i = 0; i < count; ++i) {
        int asNext = 0, asLast = 0;
        for (std::size_t j = 0; j < count; ++j) {
            asNext += nexts[j] == nexts[i] ? 1 : 0;
            asLast += lasts[j] == nexts[i] ? 1 : 0;
        }
        if (asNext != 1 || asLast != 1) return false;
    }
    return true;
}

// Kinds, quadrics and attribute sums in one walk around each vertex.
void WorkingMesh::prepareVertices(const Treatment& treatment) {
    const std::vector<float>& factors = treatment.factors;
    const std::vector<Kind>& known = treatment.knownKinds;
    kinds.assign(positions.size(), Kind::Corner);
    if (!wedges.empty()) hasManyWedges.assign(positions.size(), 0);
    quadrics.resize(positions.size());
    const auto mayBeOnLine = [&](VertexId v) { return known.empty() || known[v] != Kind::Interior; };
    const bool ringsTell =
        m_protect.creases == Protection::Off && (m_protect.skin != Protection::Hard || influences.empty());
    const auto isInside = [&](VertexId v) {
        if (!known.empty()) return known[v] == Kind::Interior;
        return ringsTell && (treatment.locked.empty() || treatment.locked[v] == 0) && isPlainlyInside(v);
    };
    parallelRanges(positions.size(), [&](std::size_t begin, std::size_t end) {
        std::vector<Spoke> spokes;
        std::vector<std::pair<WedgeId, Slopes>> slopes;
        for (VertexId v = VertexId(begin); v < end; ++v) {
            Quadric sum;
            slopes.clear();
            const Around around = addTriangles(v, sum, slopes);
            const bool isPole = around.count > poleTriangles;
            if (!isPole && isInside(v)) {
                kinds[v] = Kind::Interior;
            } else if (!isPole) {
                spokesOf(v, spokes);
                kinds[v] = kindOf(v, spokes, treatment);
                if (kinds[v] != Kind::Interior)
                    for (const Spoke& spoke : spokes)
                        if (mayBeOnLine(spoke.vertex) && protectionOf(spoke) != Protection::Off)
                            addSquarePlanes(v, spoke, quadricLineWeight, sum);
            }
            if (!isPole && kinds[v] == Kind::Interior && around.normals.norm() < mayBeFolded * around.area) {
                spokesOf(v, spokes);
                for (const Spoke& spoke : spokes)
                    if (!spoke.broken && !spoke.isBorder() && bendsBeyond(foldCosine, spoke))
                        addSquarePlanes(v, spoke, foldWeight, sum);
            }
            const double factor = factors.empty() ? 1.0 : double(factors[v]);
            sum *= factor;
            quadrics[v] = StoredQuadric(sum);
            if (!wedges.empty())
                forCorners(v, [&](CornerId c) {
                    if (wedgeAt(c) != wedgeAt(firstCorner[v])) hasManyWedges[v] = 1;
                });
            for (const auto& [wedge, ofWedge] : slopes) attributes.setSums(wedge, ofWedge, factor);
        }
    });
}

WorkingMesh::Around WorkingMesh::addTriangles(VertexId v, Quadric& sum,
                                              std::vector<std::pair<WedgeId, Slopes>>& slopes) const {
    Sides sides{};
    Planes planes;
    Around around;
    for (CornerId next = firstCorner[v]; next != noIndex;) {
        std::array<CornerId, Sides::size> corners;
        std::size_t some = 0;
        for (; next != noIndex && some < corners.size(); next = nextCorner[next]) {
            sides.put(some, place(nextOf(next)) - place(v), place(lastOf(next)) - place(v));
            corners[some++] = next;
        }
        findPlanes(sides, planes);
        for (std::size_t i = 0; i < some; ++i) {
            if (!(planes.area[i] > 0)) continue;
            sum += Quadric::planeThroughOrigin(planes.normal(i), planes.area[i]);
            around.area += planes.area[i];
            around.normals += planes.area[i] * planes.normal(i);
            if (!wedges.empty()) addCarried(corners[i], sides.a(i), sides.b(i), planes.area[i], slopes);
        }
        around.count += some;
    }
    for (const auto& entry : slopes) sum += entry.second.squares();
    return around;
}

void WorkingMesh::addCarried(CornerId c, const Vec3d& toNext, const Vec3d& toLast, double area,
                             std::vector<std::pair<WedgeId, Slopes>>& slopes) const {
    const Triangle& around = wedges[c / 3];
    const WedgeId here = around[c % 3];
    auto known = std::find_if(slopes.begin(), slopes.end(), [&](const auto& entry) { return entry.first == here; });
    if (known == slopes.end()) {
        slopes.emplace_back().first = here;
        known = slopes.end() - 1;
    }
    attributes.addTriangle(here, around[(c % 3 + 1) % 3], around[(c % 3 + 2) % 3], toNext, toLast, area, known->second);
}

// Planes through an edge, square to its faces, so that moving sideways off it costs.
// @param weight  of each, as a share of the edge's squared length
void WorkingMesh::addSquarePlanes(VertexId v, const Spoke& spoke, double weight, Quadric& sum) const {
    const Vec3d edge = place(spoke.vertex) - place(v);
    for (const CornerId c : {spoke.out, spoke.in}) {
        if (c == noIndex) continue;
        const Vec3d normal = (place(nextOf(c)) - place(v)).cross(place(lastOf(c)) - place(v));
        const Vec3d square = edge.cross(normal);
        const double length = square.norm();
        if (length > 0) sum += Quadric::planeThroughOrigin(square / length, weight * edge.squaredNorm());
    }
}

double WorkingMesh::skinCost(VertexId u, VertexId v) const {
    if (influences.empty() || m_protect.skin == Protection::Off) return 0;
    const double off = m_skinScale * influenceDifference(influences[u], influences[v]) / 2;
    return off * off * (double(quadrics[u].trace()) + double(quadrics[v].trace()));
}

std::vector<VertexId> WorkingMesh::compact() {
    const std::vector<TriangleId> alive =
        parallelIndices(triangles.size(), [&](std::size_t t) { return !isDead(TriangleId(t)); });
    if (!wedges.empty()) wedges = gathered(wedges, alive);
    sections = gathered(sections, alive);
    triangles = gathered(triangles, alive);
    const std::vector<VertexId> used =
        parallelIndices(positions.size(), [&](std::size_t v) { return isUsed(VertexId(v)); });
    std::vector<VertexId> number(positions.size(), noIndex);
    parallelFor(used.size(), [&](std::size_t i) { number[used[i]] = VertexId(i); });
    parallelFor(triangles.size(), [&](std::size_t t) {
        for (VertexId& v : triangles[t]) v = number[v];
    });
    positions = gathered(positions, used);
    quadrics = gathered(quadrics, used);
    kinds = gathered(kinds, used);
    if (!wedges.empty()) hasManyWedges = gathered(hasManyWedges, used);
    if (!influences.empty()) influences = gathered(influences, used);
    for (std::vector<Vec3f>& offsets : morphs) offsets = gathered(offsets, used);
    if (!wedges.empty()) {
        std::vector<std::uint8_t> isKept(attributes.wedgeCount(), 0);
        parallelFor(wedges.size(), [&](std::size_t t) {
            for (const WedgeId w : wedges[t]) std::atomic_ref(isKept[w]).store(1, std::memory_order_relaxed);
        });
        const std::vector<WedgeId> kept = parallelIndices(isKept.size(), [&](std::size_t w) { return isKept[w] != 0; });
        attributes.keep(kept);
        RawVector<WedgeId> numberOf(isKept.size());
        parallelFor(kept.size(), [&](std::size_t w) { numberOf[kept[w]] = WedgeId(w); });
        parallelFor(wedges.size(), [&](std::size_t t) {
            for (WedgeId& w : wedges[t]) w = numberOf[w];
        });
    }
    linkCorners();
    return number;
}

Mesh WorkingMesh::finish(const Mesh& source) const {
    const std::vector<TriangleId> alive =
        parallelIndices(triangles.size(), [&](std::size_t t) { return !isDead(TriangleId(t)); });
    Mesh mesh = emptyLike(source);
    mesh.positions = positions;
    mesh.triangles = gathered(triangles, alive);
    if (!wedges.empty()) mesh.wedges = gathered(wedges, alive);
    attributes.store(mesh);
    mesh.influences = influences;
    for (std::size_t m = 0; m < morphs.size(); ++m) mesh.morphs[m].offsets = morphs[m];
    const std::vector<std::uint16_t> sectionOf = gathered(sections, alive);
    for (std::size_t t = 0; t < sectionOf.size(); ++t) {
        if (t == 0 || sectionOf[t] != sectionOf[t - 1]) {
            Section section = source.sections[sectionOf[t]];
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
