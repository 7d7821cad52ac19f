#include "chain/FewestWithin.h"

#include "chain/DearerPlaces.h"
#include "chain/MendedLevel.h"
#include "chain/RestOfSource.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <optional>

namespace um {
namespace {

constexpr double fewestEndRatio = 1.15;  // the factor between counts at which the search ends
constexpr int mostTries = 16;
constexpr int fewestRepairs = 2;

// The first count tried has so many triangles of the source for one.
constexpr double firstShare = 16;

// So many places that are too far off may be made dearer; more are a sign of too few triangles.
constexpr std::size_t fewestPlaces = 10;

// Over a surface the deviation falls about as the inverse of the count, a little more slowly.
constexpr double countByDeviation = 1.05;

// While only one end is known, steps have that factor at least, and the next one upwards is the square of it.
constexpr double firstStep = 1.15, largestStep = 8;

// Between both ends the next count keeps so far off them, so that a bad guess still narrows the room.
constexpr double leastOfRoom = 0.3;

class FewestSearch {
public:
    FewestSearch(const Mesh& source, double allowed, const ReduceSettings& settings, const Progress& progress)
        : m_source(source),
          m_allowed(allowed),
          m_settings(settings),
          m_progress(progress),
          m_mender(source, progress.span(0, 0.05)),
          m_dearer(source) {
        m_settings.dearer.clear();
    }

    Fewest run() {
        guessFirst();
        while (m_tries < mostTries && !m_isCoarsest && double(m_holds) > fewestEndRatio * double(m_fails)) {
            const std::size_t count = nextCount();
            if (count <= m_fails || count >= m_holds) break;
            Trial trial = tryAt(count);
            for (int i = 0; i < fewestRepairs && m_tries < mostTries && mayBeRepaired(trial); ++i) {
                m_dearer.add(trial.tooFar, count, m_settings.dearer);
                trial = tryAt(count);
            }
            if (!trial.holds) m_fails = std::max(count, trial.triangles);
            m_guess = guessFrom(count, trial);
        }
        if (!m_best) {
            m_best = Fewest{m_source, {}, {}};
            dropUnused(m_best->mesh);
        }
        DeviationSettings settings;
        settings.allowed = m_allowed;
        const double proven = m_best->deviation.maxBound;
        m_best->deviation = measureDeviation(m_mender.source(), m_best->mesh, settings, nextSpan());
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
        const double begin = 1 - 0.95 * std::pow(0.88, m_tries), end = 1 - 0.95 * std::pow(0.88, m_tries + 1);
        return m_progress.span(begin, end);
    }

    Trial tryAt(std::size_t count) {
        const Progress span = nextSpan();
        ++m_tries;
        Reduction reduction(m_source, 1, m_settings, span.span(0, 0.1));
        reduction.reduceTo(count, span.span(0.1, 0.4));
        ReduceNotes notes = reduction.notes();
        MeasuredLevel level = m_mender.make(std::move(reduction), m_allowed, true, span.span(0.4, 1));
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

    // That it does not hold there does not mean much yet.
    void guessFirst() {
        const auto count = std::max<std::size_t>(1, std::size_t(double(m_source.triangleCount()) / firstShare));
        const Trial trial = tryAt(count);
        if (mayBeRepaired(trial)) m_dearer.add(trial.tooFar, count, m_settings.dearer);
        m_guess = std::clamp(guessFrom(count, trial), double(count) / largestStep, double(count) * largestStep);
    }

    double guessFrom(std::size_t count, const Trial& trial) const {
        const auto all = double(m_source.triangleCount());
        double guess = double(count);
        for (int i = 0; i < 3; ++i)
            guess = double(count) * std::pow(usualMax(trial.deviation, guess / all) / m_allowed, countByDeviation);
        return guess;
    }

    std::size_t nextCount() {
        const bool hasFailed = m_fails > 0, hasHeld = m_best.has_value();
        double next = m_guess;
        if (hasFailed && !hasHeld) {
            next = std::clamp(next, m_step * double(m_fails), largestStep * double(m_fails));
            m_step = std::min(m_step * m_step, largestStep);
        } else if (hasHeld && !hasFailed) {
            next = std::clamp(next, double(m_holds) / largestStep, double(m_holds) / firstStep);
        }
        // The source holds, if nothing else does.
        if (hasFailed && (hasHeld || next >= double(m_holds))) {
            const double low = std::log(double(m_fails)), room = std::log(double(m_holds)) - low;
            next = std::exp(
                std::clamp(std::log(std::max(1.0, next)), low + leastOfRoom * room, low + (1 - leastOfRoom) * room));
        }
        return std::size_t(std::max(1L, std::lround(next)));
    }

    const Mesh& m_source;
    double m_allowed;
    ReduceSettings m_settings;
    const Progress& m_progress;
    LevelMender m_mender;
    DearerPlaces m_dearer;
    std::optional<Fewest> m_best;
    std::size_t m_fails = 0, m_holds = m_source.triangleCount();  // counts
    bool m_isCoarsest = false;                                    // no fewer can be had
    double m_guess = 0, m_step = firstStep;
    int m_tries = 0;
};

}  // namespace

Fewest fewestWithin(const Mesh& source, double allowed, const ReduceSettings& settings, const Progress& progress) {
    const RestOfSource rest(source, 1, settings, progress.span(0, 0.02));
    Fewest fewest = FewestSearch(rest.mesh(), allowed, rest.settings(), progress.span(0.02, 0.95)).run();
    rest.tellOfWhole(fewest.mesh, fewest.deviation, fewest.notes, progress.span(0.95, 1));
    progress.at(1);
    return fewest;
}

}  // namespace um
