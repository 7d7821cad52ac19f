#include "reduce/Reduce.h"

#include "base/Error.h"
#include "base/Parallel.h"
#include "base/Units.h"
#include "mesh/Normals.h"
#include "reduce/Contraction.h"
#include "reduce/Polish.h"
#include "reduce/Visibility.h"

#include <cmath>

namespace um {

namespace {

constexpr double keepNormalsAbove = 0.25;

std::vector<std::uint32_t> partOfSections(const Mesh& mesh) {
    std::vector<std::uint32_t> parts;
    for (const Section& section : mesh.sections) parts.push_back(section.part);
    return parts;
}

// The vertices that must stay: guarded by hold, or of parts that are not to be reduced.
std::vector<std::uint8_t> lockedVertices(const Mesh& mesh, const std::vector<GuardValue>& guard,
                                         const std::vector<std::string>& onlyParts) {
    std::vector<std::uint8_t> locked;
    if (!guard.empty()) {
        locked.resize(mesh.vertexCount());
        for (std::size_t v = 0; v < locked.size(); ++v) locked[v] = guard[v] > 1;
    }
    if (onlyParts.empty()) return locked;
    locked.resize(mesh.vertexCount(), 0);
    std::vector<std::uint8_t> wanted(mesh.parts.size(), 0);
    for (const std::string& name : onlyParts) {
        bool isThere = false;
        for (std::size_t part = 0; part < wanted.size(); ++part)
            if (mesh.parts[part].name == name) {
                wanted[part] = 1;
                isThere = true;
            }
        if (!isThere)
            throw MeshError("There is no part \"" + name + "\" to reduce; umesh inspect lists the parts of a mesh.");
    }
    for (const Section& section : mesh.sections) {
        if (wanted[section.part] != 0) continue;
        for (std::size_t t = section.firstTriangle; t < section.firstTriangle + section.triangleCount; ++t)
            for (const VertexId v : mesh.triangles[t]) locked[v] = 1;
    }
    return locked;
}

// What is held, and what is to be kept: neither is dropped as a loose piece.
std::vector<std::uint8_t> sparedVertices(std::vector<std::uint8_t> locked, const std::vector<GuardValue>& guard) {
    for (std::size_t v = 0; v < guard.size(); ++v)
        if (guard[v] > 0) locked[v] = 1;
    return locked;
}

std::vector<float> errorFactors(const Mesh& mesh, const std::vector<GuardValue>& guard, double silhouetteWeight,
                                const Progress& progress) {
    std::vector<float> factors;
    if (silhouetteWeight > 0) factors = silhouetteFactors(silhouetteExposure(mesh, progress), silhouetteWeight);
    if (guard.empty()) return factors;
    factors.resize(mesh.vertexCount(), 1);
    for (std::size_t v = 0; v < factors.size(); ++v) factors[v] *= guardFactor(guard[v]);
    return factors;
}

std::size_t dropUnseen(Mesh& mesh, const std::vector<std::uint8_t>& locked, const Progress& progress) {
    std::vector<std::uint8_t> kept = seenFromOutside(mesh, progress);
    if (!locked.empty())
        for (std::size_t t = 0; t < kept.size(); ++t)
            for (const VertexId v : mesh.triangles[t])
                if (locked[v] != 0) kept[t] = 1;
    const auto unseen = std::size_t(std::count(kept.begin(), kept.end(), 0));
    // If nothing were seen at all, the mesh would be a speck; it is left alone.
    if (unseen == 0 || unseen == kept.size()) return 0;
    keepTriangles(mesh, kept);
    return unseen;
}

// The vertices of `level` have been moved from where they were in `before`, and others were put in: what its wedges
// carry follows.
void moveAttributes(const WorkingMesh& before, const std::vector<Birth>& births, Mesh& level) {
    if (before.attributes.channels() == 0) return;
    Attributes attributes = before.attributes;
    const auto placeBefore = [&](VertexId v) {
        return v < before.vertexCount() ? before.place(v) : births[v - before.vertexCount()].place;
    };
    for (const Birth& birth : births) {
        std::array<Vec3d, 3> steps;
        for (std::size_t k = 0; k < 3; ++k) steps[k] = birth.place - placeBefore(birth.corners[k]);
        attributes.addBetween(birth.wedges, birth.shares, steps);
    }
    std::vector<std::uint8_t> moved(attributes.wedgeCount(), 0);
    for (std::size_t t = 0; t < level.triangleCount(); ++t)
        for (std::size_t k = 0; k < 3; ++k) {
            const WedgeId w = level.wedges[t][k];
            const VertexId v = level.triangles[t][k];
            const Vec3d old = placeBefore(v);
            if (moved[w] != 0 || level.positions[v] == Vec3f(old.cast<float>())) continue;
            moved[w] = 1;
            attributes.follow(w, level.positions[v].cast<double>() - old);
        }
    attributes.store(level);
}

// So many vertices are left for the polish to put in: few enough that the rest of the surface does not suffer.
std::size_t insertionsFor(std::size_t targetTriangles, const ReduceSettings& settings) {
    constexpr double share = 0.004;
    return settings.polish ? std::size_t(share * double(targetTriangles)) : 0;
}

// Nothing but what is held would be left: everything else would be ruined for a target that cannot be met.
void requireMoreThanHeld(const Mesh& mesh, const std::vector<std::uint8_t>& locked, std::size_t target) {
    if (locked.empty()) return;
    std::size_t held = 0;
    for (const Triangle& triangle : mesh.triangles)
        held += locked[triangle[0]] != 0 && locked[triangle[1]] != 0 && locked[triangle[2]] != 0 ? 1 : 0;
    if (held > 0 && held >= target && held < mesh.triangleCount())
        throw MeshError("What is held, or is no part to be reduced, has " + formatCount(held) +
                        " triangles already, which leaves nothing for the rest of a target of " + formatCount(target) +
                        "; ask for more, or hold less.");
}

}  // namespace

std::vector<std::string> ReduceNotes::sentences(double metresPerUnit) const {
    std::vector<std::string> result;
    for (const DroppedPieces& pieces : dropped)
        result.push_back("Dropped " + countOf(pieces.pieces, "loose piece", "loose pieces") + " of " + pieces.part +
                         " (" + countOf(pieces.triangles, "triangle", "triangles") + ", the largest " +
                         formatLength(pieces.largest * metresPerUnit) + ").");
    if (unseenTriangles > 0)
        result.push_back("Dropped " + countOf(unseenTriangles, "triangle", "triangles") +
                         " that no one sees from outside.");
    if (joinedVertices > 0)
        result.push_back("Joined near surfaces at " + countOf(joinedVertices, "place", "places") + ".");
    return result;
}

// What a reduction starts from: the source, or a copy without what was dropped beforehand.
struct Reduction::Prepared {
    const Mesh& source;
    ReduceSettings settings;
    std::optional<Mesh> changed;
    bool keepsNormals = false;
    std::vector<LineEdge> lines;

    const Mesh& mesh() const { return changed ? *changed : source; }
};

Reduction::Reduction(const Mesh& source, std::size_t enough, const ReduceSettings& settings, const Progress& progress) {
    requireSound(source, "The mesh");
    const auto prepared = std::make_shared<Prepared>(Prepared{source, settings, {}, false, {}});
    const std::vector<GuardValue> guard =
        settings.guard.empty() ? std::vector<GuardValue>() : guardOfVertices(settings.guard, source);
    const std::vector<std::uint8_t> locked = lockedVertices(source, guard, settings.onlyParts);
    if (settings.dropUnseen || settings.dropLooseBelow > 0 || settings.joinWithin > 0) prepared->changed = source;
    if (settings.dropUnseen) m_notes.unseenTriangles = dropUnseen(*prepared->changed, locked, progress.span(0, 0.3));
    if (settings.dropLooseBelow > 0)
        m_notes.dropped =
            dropLoosePieces(*prepared->changed, settings.dropLooseBelow, enough, sparedVertices(locked, guard));
    if (settings.joinWithin > 0)
        m_notes.joinedVertices = joinNearPieces(*prepared->changed, settings.joinWithin, locked);
    const Mesh& mesh = prepared->mesh();
    if (enough > 1) requireMoreThanHeld(mesh, locked, enough);
    prepared->keepsNormals =
        !mesh.normals.empty() && (settings.normals == NormalTreatment::Keep ||
                                  (settings.normals == NormalTreatment::Automatic &&
                                   double(enough) >= keepNormalsAbove * double(source.triangleCount())));
    const std::vector<float> factors = errorFactors(mesh, guard, settings.silhouetteWeight,
                                                    progress.span(0.3, settings.silhouetteWeight > 0 ? 0.7 : 0.3));
    const TopologyRule topology = settings.joinWithin > 0 ? TopologyRule::MayChange : settings.topology;
    WorkingMesh working(mesh,
                        {settings.protect, topology, prepared->keepsNormals, factors, locked, settings.knownQuadrics},
                        progress.span(0.7, 1));
    prepared->lines = working.lines();
    std::vector<std::size_t> leastOfParts;
    if (settings.leastOfPart > 0) leastOfParts.assign(mesh.parts.size(), settings.leastOfPart);
    m_contraction = std::make_unique<Contraction>(std::move(working), trianglesByPart(mesh), std::move(leastOfParts),
                                                  partOfSections(mesh));
    m_prepared = prepared;
}

Reduction::~Reduction() = default;

Reduction::Reduction(const Reduction& other)
    : m_prepared(other.m_prepared),
      m_notes(other.m_notes),
      m_insertions(other.m_insertions),
      m_contraction(std::make_unique<Contraction>(*other.m_contraction)) {}

Reduction::Reduction(Reduction&& other) noexcept = default;

bool Reduction::reduceTo(std::size_t targetTriangles, const Progress& progress) {
    if (targetTriangles == 0) throw MeshError("A target of 0 triangles leaves nothing; ask for 1 or more.");
    m_insertions = insertionsFor(targetTriangles, m_prepared->settings);
    m_contraction->contractTo(targetTriangles - 2 * m_insertions, progress);
    m_contraction->finish();
    const std::size_t left = m_contraction->triangles();
    m_insertions = left < targetTriangles ? std::min(m_insertions, (targetTriangles - left) / 2) : 0;
    return left <= targetTriangles;
}

std::size_t Reduction::triangles() const {
    return m_contraction->triangles() + 2 * m_insertions;
}

Mesh Reduction::mesh(const Progress& progress) const {
    const Mesh& source = m_prepared->mesh();
    const WorkingMesh& working = m_contraction->mesh();
    Mesh result = working.finish(source);
    if (m_prepared->settings.polish && triangles() > 0 && triangles() < source.triangleCount()) {
        const Provenance provenance{m_contraction->destinations(), working.kinds, m_prepared->lines, working.lines(),
                                    working.attributes.wedgeCount()};
        moveAttributes(working, polish(result, source, provenance, m_insertions, progress), result);
    }
    if (!source.normals.empty() && !m_prepared->keepsNormals) makeNormals(result, m_prepared->settings.creaseDegrees);
    return result;
}

Reduced reduceMesh(const Mesh& source, std::size_t targetTriangles, const ReduceSettings& settings,
                   const Progress& progress) {
    Reduced result;
    const bool dropsSomething = settings.dropUnseen || settings.dropLooseBelow > 0 || settings.joinWithin > 0;
    if (targetTriangles >= source.triangleCount() && !source.triangles.empty() && !dropsSomething) {
        requireSound(source, "The mesh");
        result.mesh = source;
        progress.at(1);
        return result;
    }
    const double polishFrom = settings.polish ? 0.5 : 0.95;
    Reduction reduction(source, targetTriangles, settings, progress.span(0, 0.15));
    result.targetMet = reduction.reduceTo(targetTriangles, progress.span(0.15, polishFrom));
    result.mesh = reduction.mesh(progress.span(polishFrom, 1));
    result.notes = reduction.notes();
    progress.at(1);
    return result;
}

}  // namespace um
