#include "chain/FewestWithin.h"

#include "chain/DearerPlaces.h"
#include "chain/MendedLevel.h"

#include <algorithm>
#include <cmath>
#include <optional>

namespace um {
namespace {

constexpr int mostTries = 16;

// Limits of the factor from one count to the next, until a count holds.
constexpr double largestStep = 4, leastStep = 1.1;

// The most places to raise the weights at; more are a sign of too few triangles.
constexpr std::size_t fewestPlaces = 10;

struct Constants {
    double headroom;   // of the first count over the estimated one
    double endRatio;   // of the smallest count that holds to the largest that fails, at the end
    double firstStep;  // from one count to the next, until a count holds; squared each time
    int repairs;       // reductions at one count with larger weights at places that are too far off
    MendChoice mending;
};

// Mending more than a few places one by one seldom succeeds, and takes longer than a try with more triangles.
Constants constantsOf(SearchEffort effort) {
    return effort == SearchEffort::Quick ? Constants{1.3, 1.5, 1.25, 1, {true, 4, 4}}
                                         : Constants{1.1, 1.15, 1.15, 2, {true}};
}

// Over a surface the deviation falls about as the inverse of the count, a little more slowly.
constexpr double countByDeviation = 1.05;

class FewestSearch {
public:
    FewestSearch(HalvedSource& halved, double allowed, SearchEffort effort, const Progress& progress)
        : m_constants(constantsOf(effort)),
          m_halved(halved),
          m_source(halved.source()),
          m_allowed(allowed),
          m_settings(halved.settings()),
          m_progress(progress),
          m_dearer(m_source) {}

    Fewest run() {
        const double guess = m_halved.guessCount(m_allowed, m_progress.span(0, 0.2));
        double next = m_constants.headroom * guess, step = m_constants.firstStep;
        while (m_tries < mostTries && !m_isCoarsest) {
            const auto count = std::size_t(std::max(1L, std::lround(next)));
            if (count <= m_fails || count >= m_holds) break;
            Trial trial = tryAt(count);
            for (int i = 0; i < m_constants.repairs && mayBeRepaired(trial); ++i) {
                m_dearer.add(trial.tooFar, count, m_settings.dearer);
                trial = tryAt(count);
            }
            if (!trial.holds) m_fails = std::max({m_fails, count, trial.triangles});
            const double guessed = guessFrom(count, trial);
            if (m_best) {
                const double least = std::max(double(m_fails), trial.holds ? std::max(1.0, guessed) : 1.0);
                if (double(m_holds) <= m_constants.endRatio * least) break;
                next = std::sqrt(double(m_holds) * least);
            } else {
                next = std::clamp(m_constants.headroom * guessed, step * double(count), largestStep * double(count));
                step = std::min(step * step, largestStep);
                // The source itself comes last.
                if (next >= double(m_holds) && double(m_fails) * leastStep < double(m_holds))
                    next = std::sqrt(double(m_fails) * double(m_holds));
            }
        }
        if (!m_best) {
            m_best = Fewest{m_source, {}, {}};
            dropUnused(m_best->mesh);
        }
        DeviationSettings settings;
        settings.allowed = m_allowed;
        const double proven = m_best->deviation.maxBound;
        m_best->deviation = measureDeviation(m_halved.mender().source(), m_best->mesh, settings, nextSpan());
        // With more samples a farther place may be met, so near to what is allowed that it is not proven again.
        if (proven > 0) m_best->deviation.maxBound = std::min(m_best->deviation.maxBound, proven);
        return *std::move(m_best);
    }

private:
    struct Trial {
        std::size_t triangles = 0;  // more than asked for where no fewer can be had
        Deviation deviation;
        bool holds = false;
        std::vector<TriangleId> tooFar;  // of the source, one at each place, if they may be made dearer
    };

    // Nobody knows the number of tries beforehand: each takes a share of what is left.
    Progress nextSpan() {
        const double begin = 1 - 0.8 * std::pow(0.75, m_tries), end = 1 - 0.8 * std::pow(0.75, m_tries + 1);
        return m_progress.span(begin, end);
    }

    Trial tryAt(std::size_t count) {
        const Progress span = nextSpan();
        ++m_tries;
        Reduction reduction = m_settings.dearer.empty() ? m_halved.above(count, span.span(0, 0.1))
                                                        : Reduction(m_source, 1, m_settings, span.span(0, 0.1));
        reduction.reduceTo(count, span.span(0.1, 0.4));
        ReduceNotes notes = reduction.notes();
        MeasuredLevel level =
            m_halved.mender().make(std::move(reduction), m_allowed, m_constants.mending, span.span(0.4, 1));
        Trial trial{level.mesh.triangleCount(), level.deviation, level.deviation.maxBound <= m_allowed, {}};
        if (mayBeRepaired(trial)) trial.tooFar = m_dearer.trianglesTooFar(level.mesh, level.deviation, m_allowed);
        if (trial.holds) m_isCoarsest = trial.triangles > count;
        if (trial.holds && trial.triangles < m_holds) {
            m_holds = trial.triangles;
            m_best = Fewest{std::move(level.mesh), trial.deviation, std::move(notes)};
        }
        return trial;
    }

    bool mayBeRepaired(const Trial& trial) const {
        return !trial.holds && placesFartherThan(m_allowed, trial.deviation) <= fewestPlaces;
    }

    double guessFrom(std::size_t count, const Trial& trial) const {
        const auto all = double(m_source.triangleCount());
        double guess = double(count);
        for (int i = 0; i < 3; ++i)
            guess = double(count) * std::pow(usualMax(trial.deviation, guess / all) / m_allowed, countByDeviation);
        return guess;
    }

    Constants m_constants;
    HalvedSource& m_halved;
    const Mesh& m_source;
    double m_allowed;
    ReduceSettings m_settings;
    const Progress& m_progress;
    DearerPlaces m_dearer;
    std::optional<Fewest> m_best;
    std::size_t m_fails = 0, m_holds = m_source.triangleCount();  // counts; the source holds, if nothing else does
    bool m_isCoarsest = false;                                    // no fewer can be had
    int m_tries = 0;
};

ReduceSettings withoutDearer(ReduceSettings settings) {
    settings.dearer.clear();
    return settings;
}

}  // namespace

FewestFinder::FewestFinder(const Mesh& source, const ReduceSettings& settings, const Progress& progress)
    : m_rest(source, 1, withoutDearer(settings), progress.span(0, 0.1)),
      m_halved(m_rest.mesh(), m_rest.settings(), progress.span(0.1, 1)) {}

Fewest FewestFinder::within(double allowed, SearchEffort effort, const Progress& progress) {
    Fewest fewest = FewestSearch(m_halved, allowed, effort, progress.span(0, 0.95)).run();
    m_rest.tellOfWhole(fewest.mesh, fewest.deviation, fewest.notes, progress.span(0.95, 1));
    progress.at(1);
    return fewest;
}

Fewest fewestWithin(const Mesh& source, double allowed, const ReduceSettings& settings, const Progress& progress) {
    return FewestFinder(source, settings, progress.span(0, 0.2))
        .within(allowed, SearchEffort::Careful, progress.span(0.2, 1));
}

}  // namespace um
