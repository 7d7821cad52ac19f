#include "reduce/Reduce.h"

#include "base/Error.h"
#include "base/Parallel.h"
#include "base/Units.h"
#include "mesh/Normals.h"
#include "reduce/Descent.h"
#include "reduce/Visibility.h"

#include <mutex>

namespace um {

namespace {

constexpr double keepNormalsAbove = 0.25;

// Of the vertices that could go in a thinning, those that do: fewer where what is left stands in for the source.
constexpr double shareThinned = 0.85, shareThinnedForPolish = 0.65;

std::vector<GuardValue> guardFor(const Mesh& mesh, const ReduceSettings& settings) {
    return settings.guard.empty() ? std::vector<GuardValue>() : guardOfVertices(settings.guard, mesh);
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

std::vector<float> errorFactors(const Mesh& mesh, const std::vector<GuardValue>& guard, const ReduceSettings& settings,
                                const Progress& progress) {
    std::vector<float> factors;
    if (settings.silhouetteWeight > 0)
        factors = silhouetteFactors(silhouetteExposure(mesh, progress), settings.silhouetteWeight);
    if (guard.empty() && settings.dearer.empty()) return factors;
    factors.resize(mesh.vertexCount(), 1);
    for (std::size_t v = 0; v < guard.size(); ++v) factors[v] *= guardFactor(guard[v]);
    for (std::size_t v = 0; v < settings.dearer.size(); ++v) factors[v] *= settings.dearer[v];
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
    if (restWithin)
        result.push_back("Apart from what was dropped, all is within " + formatLength(*restWithin * metresPerUnit) +
                         ".");
    if (joinedVertices > 0)
        result.push_back("Joined near surfaces at " + countOf(joinedVertices, "place", "places") + ".");
    return result;
}

std::optional<Mesh> withoutDropped(const Mesh& source, std::size_t enough, const ReduceSettings& settings,
                                   ReduceNotes& notes, const Progress& progress) {
    if (!settings.dropUnseen && !(settings.dropLooseBelow > 0)) return std::nullopt;
    const std::vector<GuardValue> guard = guardFor(source, settings);
    const std::vector<std::uint8_t> locked = lockedVertices(source, guard, settings.onlyParts);
    Mesh mesh = source;
    if (settings.dropUnseen) notes.unseenTriangles = dropUnseen(mesh, locked, progress);
    if (settings.dropLooseBelow > 0)
        notes.dropped = dropLoosePieces(mesh, settings.dropLooseBelow, enough, sparedVertices(locked, guard));
    if (mesh.triangleCount() == source.triangleCount()) return std::nullopt;
    return mesh;
}

// What a reduction goes by: the source, or a copy without what was dropped beforehand, or a thinned one.
struct Reduction::Prepared {
    const Mesh& source;
    ReduceSettings settings;
    std::optional<Mesh> changed;
    DescentSettings descent;
    mutable std::once_flag polishOnce;
    mutable std::optional<PolishSource> polishSource;

    Prepared(const Mesh& mesh, const ReduceSettings& how) : source(mesh), settings(how) {}

    const Mesh& mesh() const { return changed ? *changed : source; }

    const PolishSource& forPolish(const Progress& progress) const {
        std::call_once(polishOnce, [&] { polishSource.emplace(mesh(), progress); });
        return *polishSource;
    }

    Descent descentFrom(const Contraction& contraction, const Progress& progress) const {
        return {contraction, forPolish(progress), descent};
    }

    Contraction contraction(const Progress& progress) const {
        return {WorkingMesh(mesh(), descent.treatment, progress), mesh(), descent.leastOfParts};
    }
};

Reduction::Reduction(const Mesh& source, std::size_t enough, const ReduceSettings& settings, const Progress& progress) {
    requireSurface(source, "The mesh");
    const auto prepared = std::make_shared<Prepared>(source, settings);
    const std::vector<GuardValue> guard = guardFor(source, settings);
    const std::vector<std::uint8_t> locked = lockedVertices(source, guard, settings.onlyParts);
    prepared->changed = withoutDropped(source, enough, settings, m_notes, progress.span(0, 0.3));
    if (settings.joinWithin > 0) {
        if (!prepared->changed) prepared->changed = source;
        m_notes.joinedVertices = joinNearPieces(*prepared->changed, settings.joinWithin, locked);
    }
    const Mesh& mesh = prepared->mesh();
    if (enough > 1) requireMoreThanHeld(mesh, locked, enough);
    Treatment& treatment = prepared->descent.treatment;
    treatment.protect = settings.protect;
    treatment.topology = settings.joinWithin > 0 ? TopologyRule::MayChange : settings.topology;
    treatment.keepsNormals =
        !mesh.normals.empty() && (settings.normals == NormalTreatment::Keep ||
                                  (settings.normals == NormalTreatment::Automatic &&
                                   double(enough) >= keepNormalsAbove * double(source.triangleCount())));
    treatment.factors =
        errorFactors(mesh, guard, settings, progress.span(0.3, settings.silhouetteWeight > 0 ? 0.7 : 0.3));
    treatment.locked = locked;
    treatment.knownQuadrics = settings.knownQuadrics;
    if (settings.leastOfPart > 0) prepared->descent.leastOfParts.assign(mesh.parts.size(), settings.leastOfPart);
    m_contraction = std::make_unique<Contraction>(prepared->contraction(progress.span(0.7, 1)));
    prepared->descent.sourceLines = m_contraction->mesh().lines();
    prepared->descent.sourceTriangles = mesh.triangleCount();
    prepared->descent.isPatient = settings.isPatient;
    // Where someone says what is dear, that alone counts.
    prepared->descent.mindsFarPlaces = guard.empty() && !(settings.silhouetteWeight > 0);
    m_prepared = prepared;
}

Reduction::~Reduction() = default;

Reduction::Reduction(const Reduction& other)
    : m_prepared(other.m_prepared),
      m_notes(other.m_notes),
      m_target(other.m_target),
      m_contraction(std::make_unique<Contraction>(*other.m_contraction)),
      m_hasBegun(other.m_hasBegun),
      m_isThinned(other.m_isThinned),
      m_descent(other.m_descent),
      m_isStuck(other.m_isStuck) {}

Reduction::Reduction(Reduction&& other) noexcept = default;

bool Reduction::isPolished() const {
    const std::size_t all = m_prepared->mesh().triangleCount();
    return m_prepared->settings.polish && m_target > 0 && m_target < all && m_contraction->triangles() > 0;
}

// Where to leave off for what comes after: the polish, if there is one.
std::size_t Reduction::pause() const {
    return isPolished() ? startOfDescent(m_target, m_prepared->descent.sourceTriangles) : m_target;
}

// Begins again from the source, thinned, which a polish goes by from here on.
void Reduction::startThinned(const Progress& progress) {
    m_descent.reset();
    m_isStuck = false;
    if (m_hasBegun) {
        m_contraction.reset();
        m_contraction = std::make_unique<Contraction>(m_prepared->contraction(progress.span(0, 0.4)));
    }
    const bool polishes = m_prepared->settings.polish;
    m_contraction->thin(polishes ? shareThinnedForPolish : shareThinned, progress.span(0.4, 0.9));
    m_hasBegun = m_isThinned = true;
    if (!polishes) return;
    const auto thinned = std::make_shared<Prepared>(m_prepared->source, m_prepared->settings);
    thinned->changed = m_contraction->mesh().finish(m_prepared->mesh());
    const Mesh& mesh = thinned->mesh();
    thinned->descent = m_prepared->descent;
    thinned->descent.sourceLines = m_contraction->mesh().lines();
    Treatment& treatment = thinned->descent.treatment;
    treatment.factors = factorsOfLevel(treatment.factors, m_contraction->destinations(), mesh.vertexCount());
    treatment.locked.clear();  // that is a kind
    treatment.knownKinds = m_contraction->mesh().kinds;
    treatment.knownQuadrics.clear();
    WorkingMesh working = std::move(*m_contraction).takeMesh();
    working.sections = sectionOfTriangles(mesh);
    m_contraction = std::make_unique<Contraction>(std::move(working), mesh, thinned->descent.leastOfParts);
    m_prepared = thinned;
}

void Reduction::reduceTo(std::size_t targetTriangles, const Progress& progress) {
    if (targetTriangles == 0) throw MeshError("A target of 0 triangles leaves nothing; ask for 1 or more.");
    m_target = targetTriangles;
    const std::size_t sourceTriangles = m_prepared->descent.sourceTriangles;
    const bool thins = !m_isThinned && startsThinned(m_target, sourceTriangles);
    if (thins) startThinned(progress.span(0, 0.3));
    const Progress further = thins ? progress.span(0.3, 1) : progress;
    const bool descends = isPolished() && sharesStart(m_target, sourceTriangles);
    if (m_descent == nullptr && pause() < m_contraction->triangles()) {
        m_contraction->contractTo(pause(), further.span(0, descends ? 0.5 : 1));
        m_hasBegun = true;
    }
    m_contraction->finish();
    if (!descends) return;
    // Copies share what they have come to, which is left as it is.
    std::optional<Descent> lower = descent(further.span(0.5, 0.6));
    m_isStuck = !lower->approach(m_target, further.span(0.6, 1));
    m_descent = std::make_shared<Descent>(*std::move(lower));
}

std::size_t Reduction::triangles() const {
    if (m_descent != nullptr) return m_isStuck ? std::max(m_target, m_descent->triangles()) : m_target;
    const std::size_t there = m_contraction->triangles();
    return there <= pause() ? std::min(there, m_target) : there;
}

Mesh Reduction::mesh(const Progress& progress, const Limit& limit) const& {
    return finish(descent(progress.span(0, 0.1)), limit, progress.span(0.1, 1));
}

Mesh Reduction::mesh(const Progress& progress, const Limit& limit) && {
    const bool isLastUse = isPolished() && m_descent.use_count() == 1;
    auto last = isLastUse ? std::optional<Descent>(std::move(*m_descent)) : descent(progress.span(0, 0.1));
    if (last) m_contraction.reset();
    m_descent.reset();
    return finish(std::move(last), limit, progress.span(0.1, 1));
}

// From where there is one more stretch to go, if what there is shall be polished.
std::optional<Descent> Reduction::descent(const Progress& progress) const {
    if (!isPolished()) return std::nullopt;
    if (m_descent != nullptr) return *m_descent;
    return m_prepared->descentFrom(*m_contraction, progress);
}

Mesh Reduction::finish(std::optional<Descent> last, const Limit& limit, const Progress& progress) const {
    const Mesh& source = m_prepared->mesh();
    Mesh level =
        last ? std::move(*last).finish(m_target, limit, progress.span(0, 0.9)) : m_contraction->mesh().finish(source);
    if (last && level.triangleCount() > m_target) {
        // What was polished on the way did not go far enough; it may without.
        last.reset();
        const Progress rest = progress.span(0.9, 1);
        std::optional<Contraction> straight = m_prepared->contraction(rest.span(0, 0.2));
        if (straight->contractTo(m_target, rest.span(0.2, 0.7))) {
            straight->finish();
            last.emplace(m_prepared->descentFrom(*straight, rest.span(0.7, 0.8)));
            straight.reset();
            level = std::move(*last).finish(m_target, limit, rest.span(0.8, 1));
        }
    }
    // A thinned source has none of its own.
    if (!m_prepared->source.normals.empty() && !m_prepared->descent.treatment.keepsNormals)
        makeNormals(level, m_prepared->settings.creaseDegrees);
    if (level.triangles.empty())
        throw MeshError(
            "Nothing is left of the mesh at " + formatCount(m_target) +
            " triangles: all that was not dropped has folded together. Ask for more triangles or drop less.");
    return level;
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
    reduction.reduceTo(targetTriangles, progress.span(0.15, polishFrom));
    result.notes = reduction.notes();
    result.mesh = std::move(reduction).mesh(progress.span(polishFrom, 1));
    result.targetMet = result.mesh.triangleCount() <= targetTriangles;
    progress.at(1);
    return result;
}

}  // namespace um
