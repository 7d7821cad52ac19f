#include "reduce/Descent.h"

#include "reduce/Polisher.h"

#include <algorithm>
#include <optional>

namespace um {

namespace {

// Where to pause for a polish, in triangles over the target, and how to polish.
struct Course {
    std::vector<double> surpluses;  // falling
    int rounds;                     // of the polish at each, one at least
    int lastRounds;                 // of the last one; with three, it puts vertices in
    Probing probing;
};

// By how many triangles of the source there are for each one of the target: the coarser the level, the less a polish
// costs, and the more it wins.
Course courseFor(std::size_t target, std::size_t sourceTriangles) {
    const double forOne = double(sourceTriangles) / double(target);
    // Where the source's vertices are few for each triangle, the way back must tell of what lies between them.
    const double weight = 1 + std::min(1.0, 5 / forOne);
    // So close to the source there is nothing to be won but by moving.
    if (forOne < 1.25) return {{}, 1, 1, {1, weight}};
    if (forOne < 6) return {{}, 1, 2, {1, weight}};
    if (forOne < 10) return {{1.15}, 1, 2, {1, weight}};
    if (forOne < 40) return {{1.4, 1.15}, 2, 3, {1, weight}};
    if (forOne < 200) return {{2, 1.4, 1.15}, 2, 3, {2, weight}};
    return {{3, 2.2, 1.6, 1.25, 1.1}, 2, 3, {2, weight}};
}

// So many vertices are left for the last polish to put in: few enough that the rest of the surface does not suffer.
std::size_t insertionsFor(std::size_t target, const Course& course) {
    constexpr double share = 0.004;
    return course.lastRounds > 2 ? std::size_t(share * double(target)) : 0;
}

// Triangles from one pause to the next: of a handful, each is where it is for a reason.
constexpr std::size_t leastStep = 16;

// The counts at which to pause, falling; the last is where contraction ends.
std::vector<std::size_t> pausesFor(std::size_t target, const Course& course) {
    std::vector<std::size_t> pauses;
    std::size_t after = target - 2 * insertionsFor(target, course);
    pauses.push_back(after);
    for (auto surplus = course.surpluses.rbegin(); surplus != course.surpluses.rend(); ++surplus) {
        const auto pause = std::size_t(*surplus * double(target));
        if (pause < after + leastStep) continue;
        pauses.push_back(pause);
        after = pause;
    }
    std::reverse(pauses.begin(), pauses.end());
    return pauses;
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

// What contraction has made of a level, but for where the source's vertices went.
void take(const Contraction& contraction, Provenance& provenance) {
    const WorkingMesh& working = contraction.mesh();
    provenance.levelKinds = working.kinds;
    provenance.levelLines = working.lines();
    provenance.levelWedges = working.attributes.wedgeCount();
}

// Of a surface on its way down: kinds stay what they are, factors are the means of what went into each vertex.
Treatment treatmentOnTheWay(const DescentSettings& settings, const Provenance& provenance) {
    const std::vector<Kind>& kinds = provenance.levelKinds;
    const std::vector<VertexId>& destinations = provenance.destinations;
    const std::vector<float>& ofSource = settings.treatment.factors;
    Treatment treatment{
        settings.treatment.protect, settings.treatment.topology, settings.treatment.keepsNormals, {}, {}, kinds, {}};
    if (!ofSource.empty()) {
        treatment.factors.assign(kinds.size(), 0);
        std::vector<std::uint32_t> vertices(kinds.size(), 0);
        for (std::size_t v = 0; v < destinations.size(); ++v) {
            if (destinations[v] == none) continue;
            treatment.factors[destinations[v]] += ofSource[v];
            ++vertices[destinations[v]];
        }
        for (std::size_t v = 0; v < kinds.size(); ++v)
            treatment.factors[v] = vertices[v] > 0 ? treatment.factors[v] / float(vertices[v]) : 1;
    }
    return treatment;
}

}  // namespace

std::size_t startOfDescent(std::size_t target, std::size_t sourceTriangles) {
    return pausesFor(target, courseFor(target, sourceTriangles)).front();
}

Mesh descend(const Contraction& from, const PolishSource& source, const DescentSettings& settings, std::size_t target,
             const Progress& progress) {
    const Course course = courseFor(target, source.mesh.triangleCount());
    Mesh mesh = from.mesh().finish(source.mesh);
    Provenance provenance{from.destinations(), {}, settings.sourceLines, {}, 0};
    take(from, provenance);
    const Contraction* at = &from;
    std::optional<Contraction> own;
    Polisher polisher(mesh, source, provenance, course.probing);
    const std::vector<std::size_t> pauses = pausesFor(target, course);
    const double share = 1.0 / double(pauses.size() + 1);
    for (std::size_t i = 0; i < pauses.size(); ++i) {
        if (pauses[i] >= mesh.triangleCount()) continue;
        polisher.improve(course.rounds, 0, progress.span(double(i) * share, double(i + 1) * share));
        moveAttributes(at->mesh(), polisher.finish(), mesh);
        const Mesh before = std::move(mesh);
        const Progress rest = progress.span(double(i + 1) * share, double(i + 1) * share);
        own.emplace(WorkingMesh(before, treatmentOnTheWay(settings, provenance), rest), before, settings.leastOfParts);
        own->contractTo(pauses[i], rest);
        own->finish();
        at = &*own;
        mesh = own->mesh().finish(before);
        for (VertexId& v : provenance.destinations)
            if (v != none) v = own->destinations()[v];
        take(*own, provenance);
        polisher.goOn(before, own->destinations());
    }
    const std::size_t missing = target - std::min(target, mesh.triangleCount());
    const std::size_t insertions = std::min(insertionsFor(target, course), missing / 2);
    polisher.improve(course.lastRounds, insertions, progress.span(1 - share, 1));
    moveAttributes(at->mesh(), polisher.finish(), mesh);
    return mesh;
}

}  // namespace um
