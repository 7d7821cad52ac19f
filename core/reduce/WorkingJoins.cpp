#include "base/Parallel.h"
#include "reduce/Fan.h"
#include "reduce/WorkingMesh.h"

namespace um {

// At a pole the dead stay listed until the next compaction: looking for each would cost the square. Nobody minds, for a
// vertex of so many triangles is left alone, and its list does not become shorter.
void WorkingMesh::unlink(VertexId v, TriangleId t) {
    constexpr std::size_t most = 512;
    static_assert(most > 2 * Fan::mostTriangles);
    if (isLongerThan(v, most)) return;
    CornerId* link = &firstCorner[v];
    while (*link != noIndex) {
        if (*link / 3 == t)
            *link = nextCorner[*link];
        else
            link = &nextCorner[*link];
    }
}

// All of it but the triangles.
// @param share  that v has in what is only blended
void WorkingMesh::join(VertexId u, VertexId v, const Vec3d& to, double share) {
    const Vec3d apart = place(v) - place(u);
    Quadric sum = Quadric(quadrics[v]).seenFrom(-apart);
    sum += Quadric(quadrics[u]);
    const bool stays = to.isZero(0);
    const bool atOther = !stays && to == apart;
    const bool holdsValues = (stays && kinds[u] >= Kind::Corner) || (atOther && kinds[v] >= Kind::Corner);
    if (!wedges.empty())
        joinWedges(u, v, to, holdsValues, sum);
    else
        sum = sum.seenFrom(to);
    quadrics[u] = StoredQuadric(sum);
    // A vertex that does not move keeps its position bit for bit.
    if (atOther)
        positions[u] = positions[v];
    else if (!stays)
        positions[u] = (place(u) + to).cast<float>();
    if (!influences.empty()) influences[u] = blend(influences[u], influences[v], share);
    for (std::vector<Vec3f>& offsets : morphs) offsets[u] += float(share) * (offsets[v] - offsets[u]);
    kinds[u] = std::max(kinds[u], kinds[v]);
    if (!wedges.empty()) hasManyWedges[u] |= hasManyWedges[v];
}

std::size_t WorkingMesh::contract(VertexId u, VertexId v, const Vec3d& to) {
    const Vec3d apart = place(v) - place(u);
    join(u, v, to, apart.squaredNorm() > 0 ? std::clamp(to.dot(apart) / apart.squaredNorm(), 0.0, 1.0) : 0.0);

    std::array<TriangleId, 32> dying;
    std::size_t deaths = 0;
    CornerId last = noIndex;
    for (CornerId c = firstCorner[u]; c != noIndex; c = nextCorner[c]) {
        last = c;
        if ((nextOf(c) == v || lastOf(c) == v) && deaths < dying.size()) dying[deaths++] = c / 3;
    }
    const CornerId joined = firstCorner[v];
    for (CornerId c = joined; c != noIndex; c = nextCorner[c])
        if (std::find(dying.begin(), dying.begin() + long(deaths), c / 3) == dying.begin() + long(deaths))
            triangles[c / 3][c % 3] = u;
    nextCorner[last] = joined;
    firstCorner[v] = noIndex;
    for (std::size_t i = 0; i < deaths; ++i) {
        const TriangleId t = dying[i];
        for (const VertexId w : triangles[t])
            if (w != v) unlink(w, t);
        triangles[t] = {0, 0, 0};
    }
    return deaths + (m_topology == TopologyRule::MayChange ? dropFoldedTriangles(u) : 0);
}

// Two triangles on the same three vertices: one of two that agree goes, and both of two that face each other.
std::size_t WorkingMesh::dropFoldedTriangles(VertexId v) {
    std::size_t dropped = 0;
    const auto kill = [&](TriangleId t) {
        for (const VertexId w : Triangle(triangles[t])) unlink(w, t);
        triangles[t] = {0, 0, 0};
        ++dropped;
    };
    for (bool found = true; found;) {
        found = false;
        for (CornerId c = firstCorner[v]; c != noIndex && !found; c = nextCorner[c])
            for (CornerId d = nextCorner[c]; d != noIndex && !found; d = nextCorner[d]) {
                const bool agree = nextOf(c) == nextOf(d) && lastOf(c) == lastOf(d);
                const bool face = nextOf(c) == lastOf(d) && lastOf(c) == nextOf(d);
                if (!agree && !face) continue;
                found = true;
                const TriangleId first = c / 3;
                kill(d / 3);
                if (face) kill(first);
            }
    }
    return dropped;
}

// The wedges at both ends of the edge are joined side by side; what either end carries elsewhere stays by itself.
void WorkingMesh::joinWedges(VertexId u, VertexId v, const Vec3d& to, bool holdsValues, Quadric& sum) {
    const auto replace = [&](WedgeId old, WedgeId now) {
        forCorners(v, [&](CornerId c) {
            if (wedgeAt(c) == old) wedges[c / 3][c % 3] = now;
        });
    };
    if (haveOneWedgeEach(u, v) && !holdsValues) {
        const WedgeId first = wedgeAt(firstCorner[u]), other = wedgeAt(firstCorner[v]);
        attributes.join(first, other, place(v) - place(u), to, sum);
        replace(other, first);
        return;
    }
    std::array<WedgeGroup, mostGroups> groups;
    const int channels = attributes.channels();
    const std::size_t count = wedgeGroups(u, v, groups, sum);
    sum = sum.seenFrom(to);
    const bool valuesOfOther = holdsValues && !to.isZero(0);
    for (std::size_t i = 0; i < count; ++i) {
        WedgeGroup& group = groups[i];
        const WedgeId kept = group.atFirst != noIndex ? group.atFirst : group.atOther;
        moveOrigin(group.sums, channels, to);
        std::array<double, AttributeSums::mostChannels> change{};
        float* values = attributes.valuesOf(kept);
        for (int j = 0; j < channels; ++j) {
            const std::size_t at = std::size_t(j);
            if (valuesOfOther && group.atFirst != noIndex && group.atOther != noIndex) {
                const float other = attributes.valuesOf(group.atOther)[j];
                change[at] = double(other) - double(values[j]);
                values[j] = other;
            } else if (!holdsValues && group.sums.area > 0) {
                change[at] = group.sums.offset[at] / group.sums.area;
                values[j] = float(double(values[j]) + change[at]);
            }
        }
        moveValues(group.sums, channels, change.data(), sum);
        attributes.setSums(kept, group.sums);
        if (group.atFirst != noIndex && group.atOther != noIndex) replace(group.atOther, group.atFirst);
    }
}

// Adds what is known of the other wedge, at a vertex that lies apart from the first's.
void WorkingMesh::addWedge(WedgeId first, WedgeId other, const Vec3d& apart, AttributeSums& sums, Quadric& sum) const {
    const int channels = attributes.channels();
    AttributeSums ofOther = attributes.sumsOf(other);
    moveOrigin(ofOther, channels, -apart);
    std::array<double, AttributeSums::mostChannels> change{};
    const float* from = attributes.valuesOf(other);
    const float* to = attributes.valuesOf(first);
    for (int j = 0; j < channels; ++j) change[std::size_t(j)] = double(to[j]) - double(from[j]);
    moveValues(ofOther, channels, change.data(), sum);
    addSums(sums, ofOther, channels);
}

std::size_t WorkingMesh::wedgeGroups(VertexId u, VertexId v, std::array<WedgeGroup, mostGroups>& groups,
                                     Quadric& sum) const {
    const int channels = attributes.channels();
    const Vec3d apart = place(v) - place(u);
    std::size_t count = 0;
    const auto knows = [&](WedgeId WedgeGroup::*end, WedgeId w) {
        for (std::size_t i = 0; i < count; ++i)
            if (groups[i].*end == w) return true;
        return false;
    };
    const auto addOther = [&](WedgeGroup& group) {
        if (group.atFirst != noIndex) {
            addWedge(group.atFirst, group.atOther, apart, group.sums, sum);
            return;
        }
        group.sums = attributes.sumsOf(group.atOther);
        moveOrigin(group.sums, channels, -apart);
    };
    if (haveOneWedgeEach(u, v)) {
        groups[0].atFirst = wedgeAt(firstCorner[u]);
        groups[0].atOther = wedgeAt(firstCorner[v]);
        groups[0].sums = attributes.sumsOf(groups[0].atFirst);
        addOther(groups[0]);
        return 1;
    }
    forCorners(u, [&](CornerId c) {
        const bool out = nextOf(c) == v, in = lastOf(c) == v;
        if ((!out && !in) || count == groups.size()) return;
        const WedgeId first = wedgeAt(c), other = wedges[c / 3][(c % 3 + (out ? 1u : 2u)) % 3];
        if (knows(&WedgeGroup::atFirst, first) || knows(&WedgeGroup::atOther, other)) return;
        WedgeGroup& group = groups[count++];
        group.atFirst = first;
        group.atOther = other;
        group.sums = attributes.sumsOf(first);
        addOther(group);
    });
    forCorners(u, [&](CornerId c) {
        if (count == groups.size() || knows(&WedgeGroup::atFirst, wedgeAt(c))) return;
        WedgeGroup& group = groups[count++];
        group.atFirst = wedgeAt(c);
        group.atOther = noIndex;
        group.sums = attributes.sumsOf(group.atFirst);
    });
    forCorners(v, [&](CornerId c) {
        if (count == groups.size() || knows(&WedgeGroup::atOther, wedgeAt(c))) return;
        WedgeGroup& group = groups[count++];
        group.atFirst = noIndex;
        group.atOther = wedgeAt(c);
        addOther(group);
    });
    return count;
}

Quadric WorkingMesh::errorOfStar(VertexId centre, std::span<const VertexId> others) const {
    Quadric sum(quadrics[centre]);
    const bool carries = !wedges.empty();
    const WedgeId own = carries ? wedgeAt(firstCorner[centre]) : noIndex;
    AttributeSums sums;
    if (carries) sums = attributes.sumsOf(own);
    for (const VertexId v : others) {
        const Vec3d apart = place(v) - place(centre);
        sum += Quadric(quadrics[v]).seenFrom(-apart);
        if (carries) addWedge(own, wedgeAt(firstCorner[v]), apart, sums, sum);
    }
    if (carries) putInBestValues(sums, attributes.channels(), sum);
    return sum;
}

void WorkingMesh::drawTogether(const Stars& stars, const Progress& progress) {
    parallelRanges(vertexCount(), [&](std::size_t begin, std::size_t end) {
        progress.check();
        std::vector<VertexId> others;
        for (VertexId v = VertexId(begin); v < end; ++v) {
            if (!isUsed(v) || stars.centres[v] != v) continue;
            others.clear();
            forCorners(v, [&](CornerId c) {
                if (stars.centres[nextOf(c)] == v && nextOf(c) != v) others.push_back(nextOf(c));
            });
            // Of what they are joined to, each has an equal share.
            for (std::size_t i = 0; i < others.size(); ++i)
                join(v, others[i], stars.places[v].cast<double>() - place(v), 1 / double(i + 2));
        }
    });
    parallelFor(triangles.size(), [&](std::size_t t) {
        Triangle& triangle = triangles[t];
        if (isDead(TriangleId(t))) return;
        for (VertexId& v : triangle) v = stars.centres[v];
        if (triangle[0] == triangle[1] || triangle[1] == triangle[2] || triangle[2] == triangle[0])
            triangle = {0, 0, 0};
    });
    parallelFor(vertexCount(), [&](std::size_t v) {
        if (stars.centres[v] != v) firstCorner[v] = noIndex;
    });
}

}  // namespace um
