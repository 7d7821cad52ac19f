#include "reduce/Descent.h"

#include "base/Parallel.h"

#include <algorithm>
#include <cmath>
#include <optional>
#include <utility>

namespace um {

namespace {

// The first rung has one triangle for so many of the source: above it a polish costs too much to be done for what lies
// far below; the more so for the coarsest.
constexpr double highestRung = 12;
constexpr double highestRungOfThinned = 18;

// From so many triangles of the source for one of the target on it is thinned, if it is large.
constexpr double thinnedFrom = 55;
constexpr std::size_t leastToThin = 100'000;
constexpr double stepOfRungs = 1.35, patientStepOfRungs = 1.2;

// Less than this from one pause to the next is not worth one.
constexpr double leastStep = 1.05;

// With fewer triangles than that there are no rungs any more: of a handful, each is where it is for a reason.
constexpr double lowestRung = 64;
constexpr double lowestFirstRung = 128;

// The last rung before a target has so many triangles over it, that something is to be won by leaving it.
constexpr double leastSurplus = 1.15;

// Triangles for one of the target at which to pause where there is no rung.
constexpr double surplus = 1.3;

// With less of the source's triangles for one of the target than this, there is nothing to be won but by moving.
constexpr double leastForPause = 3;
constexpr double leastForFlips = 1.25;

double firstRung(std::size_t target, std::size_t sourceTriangles) {
    const double highest = startsThinned(target, sourceTriangles) ? highestRungOfThinned : highestRung;
    return double(sourceTriangles) / highest;
}

// The counts of the rungs above the target, falling.
std::vector<std::size_t> rungsAbove(std::size_t target, std::size_t sourceTriangles, double step) {
    std::vector<std::size_t> rungs;
    if (sharesStart(target, sourceTriangles))
        for (double rung = firstRung(target, sourceTriangles);
             rung >= lowestRung && rung >= leastSurplus * double(target); rung /= step)
            rungs.push_back(std::size_t(rung));
    return rungs;
}

// From here on levels are coarse: a polish costs little, and wins the more.
constexpr double coarseFrom = 150;

int lastRounds(double sourceForOne, bool isPatient) {
    if (sourceForOne < leastForFlips) return 1;
    if (sourceForOne >= leastForPause && sourceForOne < 6) return 1;
    if (sourceForOne < coarseFrom) return 2;
    return isPatient ? 6 : 3;
}

// Triangles for one of the target at which to pause after the last rung.
const std::vector<double>& lastSurpluses(double sourceForOne) {
    static const std::vector<double> fine = {1.12}, coarse = {1.25, 1.12, 1.05};
    return sourceForOne < coarseFrom ? fine : coarse;
}

// What would take the surface farther off than so many times the deviation that there is on average is dearer than its
// area says: a thin horn goes late.
constexpr double farOff = 3;

// So many vertices are left for the last polish to put in: few enough that the rest of the surface does not suffer.
std::size_t insertionsFor(std::size_t target) {
    constexpr double share = 0.004;
    return std::size_t(share * double(target));
}

// And so many more to be put in where the level is found to be too far off when it is measured.
std::size_t spareFor(std::size_t target) {
    constexpr double share = 0.004, mostOfSmall = 0.025;
    constexpr std::size_t usual = 8, most = 64;
    const std::size_t spare = std::clamp(std::size_t(share * double(target)), usual, most);
    return std::min(spare, std::size_t(mostOfSmall * double(target)));
}

Sampling samplingFor(std::size_t triangles, const DescentSettings& settings) {
    const double sourceForOne = double(settings.sourceTriangles) / double(std::max<std::size_t>(1, triangles));
    Sampling sampling;
    if (settings.isPatient) sampling.enoughForVertex = 200;
    // Large triangles need more than their centres looked at.
    sampling.probesPerSide = sourceForOne < 40 ? 1 : 2;
    // Where the source's vertices are few for each triangle, the way back must tell of what lies between them.
    sampling.probeWeight = 1 + std::min(1.0, 5 / sourceForOne);
    return sampling;
}

// The vertices of `level` have been moved from where they were before, and others were put in: what its wedges carry
// follows.
void moveAttributes(Attributes attributes, const std::vector<Vec3f>& before, const std::vector<Birth>& births,
                    Mesh& level) {
    std::vector<Vec3d> born;
    const auto placeBefore = [&](VertexId v) {
        return v < before.size() ? Vec3d(before[v].cast<double>()) : born[v - before.size()];
    };
    for (const Birth& birth : births) {
        if (birth.vertex == before.size() + born.size()) born.push_back(birth.place);
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

// How a mesh came out of the source.
// @param destinations  of the source's vertices
Provenance provenanceOf(const Contraction& contraction, std::vector<VertexId> destinations,
                        std::vector<LineEdge> sourceLines) {
    const WorkingMesh& working = contraction.mesh();
    return {std::move(destinations), working.kinds, std::move(sourceLines), working.lines(),
            working.attributes.wedgeCount()};
}

// Of a surface on its way down: kinds stay what they are, factors are the means of what went into each vertex.
Treatment treatmentOnTheWay(const DescentSettings& settings, const Polisher& polisher) {
    const Provenance& provenance = polisher.provenance();
    const std::vector<Kind>& kinds = provenance.levelKinds;
    const std::vector<VertexId>& destinations = provenance.destinations;
    const std::vector<float>& ofSource = settings.treatment.factors;
    Treatment treatment;
    treatment.protect = settings.treatment.protect;
    treatment.topology = settings.treatment.topology;
    treatment.keepsNormals = settings.treatment.keepsNormals;
    treatment.knownKinds = kinds;
    if (settings.mindsFarPlaces) treatment.farDistance = farOff * std::sqrt(polisher.meanSquared());
    treatment.factors = factorsOfLevel(ofSource, destinations, kinds.size());
    return treatment;
}

}  // namespace

bool startsThinned(std::size_t target, std::size_t sourceTriangles) {
    return sourceTriangles >= leastToThin && double(target) * thinnedFrom <= double(sourceTriangles);
}

bool sharesStart(std::size_t target, std::size_t sourceTriangles) {
    const double first = firstRung(target, sourceTriangles);
    return first >= lowestFirstRung && first >= leastSurplus * double(target);
}

std::vector<float> factorsOfLevel(const std::vector<float>& ofSource, const std::vector<VertexId>& destinations,
                                  std::size_t levelVertices) {
    if (ofSource.empty()) return {};
    std::vector<float> means(levelVertices, 0);
    std::vector<std::uint32_t> counts(levelVertices, 0);
    for (std::size_t v = 0; v < destinations.size(); ++v) {
        if (destinations[v] == noIndex) continue;
        means[destinations[v]] += ofSource[v];
        ++counts[destinations[v]];
    }
    for (std::size_t v = 0; v < levelVertices; ++v) means[v] = counts[v] > 0 ? means[v] / float(counts[v]) : 1;
    return means;
}

std::size_t startOfDescent(std::size_t target, std::size_t sourceTriangles) {
    if (sharesStart(target, sourceTriangles)) return std::size_t(firstRung(target, sourceTriangles));
    const std::size_t pause =
        std::min(std::size_t(surplus * double(target)), std::size_t(double(sourceTriangles) / leastForPause));
    return double(target) < lowestRung ? target : std::max(target, pause);
}

Descent::Descent(const Contraction& from, const PolishSource& source, const DescentSettings& settings)
    : m_source(source),
      m_settings(settings),
      m_polisher(from.mesh().finish(source.mesh), source, provenanceOf(from, from.destinations(), settings.sourceLines),
                 samplingFor(from.triangles(), settings)),
      m_attributes(from.mesh().attributes) {}

// The first polish, of what the contraction before has left.
void Descent::start(std::size_t target, const Progress& progress) {
    if (std::exchange(m_isStarted, true)) return;
    const bool isThere = triangles() <= target;
    polish(isThere ? lastRounds(double(m_settings.sourceTriangles) / double(target), m_settings.isPatient) : 1,
           isThere ? target - triangles() : 0, 0, {}, progress);
}

bool Descent::approach(std::size_t target, const Progress& progress) {
    const std::vector<std::size_t> rungs =
        rungsAbove(target, m_settings.sourceTriangles, m_settings.isPatient ? patientStepOfRungs : stepOfRungs);
    const double share = 1.0 / double(rungs.size() + 1);
    start(target, progress.span(0, share));
    for (std::size_t i = 0; i < rungs.size(); ++i)
        if (rungs[i] < triangles() &&
            !goTo(rungs[i], 1, {}, {}, progress.span(double(i + 1) * share, double(i + 2) * share)))
            break;
    return rungs.empty() || triangles() <= rungs.back();
}

Mesh Descent::finish(std::size_t target, const Limit& limit, const Progress& progress) && {
    const double sourceForOne = double(m_settings.sourceTriangles) / double(target);
    double done = m_isStarted ? 0 : 0.5;
    start(target, progress.span(0, done));
    if (target >= lowestRung && sharesStart(target, m_settings.sourceTriangles)) {
        const std::vector<double>& surpluses = lastSurpluses(sourceForOne);
        const double share = (1 - done) / 2 / double(surpluses.size());
        for (const double over : surpluses) {
            if (over * double(target) < double(triangles()) / leastStep &&
                !goTo(std::size_t(over * double(target)), 1, {}, {}, progress.span(done, done + share)))
                break;
            done += share;
        }
    }
    const std::size_t spare = limit.find ? spareFor(target) : 0;
    if (triangles() > target)
        goTo(target, lastRounds(sourceForOne, m_settings.isPatient),
             Filling{2 * (insertionsFor(target) + spare), true, spare}, limit, progress.span(done, 1));
    return std::move(m_polisher.level());
}

bool Descent::goTo(std::size_t count, int rounds, const Filling& filling, const Limit& limit,
                   const Progress& progress) {
    const std::size_t before = triangles();
    contract(count - filling.triangles, progress.span(0, 0.3));
    const bool goesDown = triangles() < before;
    const std::size_t missing = count - std::min(count, triangles());
    polish(rounds, filling.isExact ? missing : 0, filling.spare, limit, progress.span(0.3, 1));
    return goesDown;
}

void Descent::contract(std::size_t count, const Progress& progress) {
    const Mesh& level = m_polisher.level();
    std::optional<Contraction> contraction(
        std::in_place, WorkingMesh(level, treatmentOnTheWay(m_settings, m_polisher), progress.span(0, 1.0 / 3)), level,
        m_settings.leastOfParts);
    contraction->contractTo(count, progress.span(1.0 / 3, 1));
    contraction->finish();
    Mesh next = contraction->mesh().finish(level);
    const std::vector<VertexId> into = contraction->destinations();
    Provenance provenance = m_polisher.provenance();
    parallelFor(provenance.destinations.size(), [&](std::size_t s) {
        VertexId& v = provenance.destinations[s];
        if (v != noIndex) v = into[v];
    });
    provenance = provenanceOf(*contraction, std::move(provenance.destinations), std::move(provenance.sourceLines));
    m_attributes = contraction->mesh().attributes;
    contraction.reset();
    const Sampling sampling = samplingFor(next.triangleCount(), m_settings);
    m_polisher.goOn(std::move(next), std::move(provenance), into, sampling);
}

void Descent::polish(int rounds, std::size_t missing, std::size_t spare, const Limit& limit, const Progress& progress) {
    const bool carries = m_attributes.channels() > 0;
    const std::vector<Vec3f> before = carries ? m_polisher.level().positions : std::vector<Vec3f>();
    m_polisher.improve(rounds, missing, spare, limit, progress);
    const std::vector<Birth> births = m_polisher.finish();
    if (carries) moveAttributes(std::move(m_attributes), before, births, m_polisher.level());
    m_attributes = Attributes();
}

}  // namespace um
