#include "chain/ClosestAt.h"

#include "chain/DearerPlaces.h"
#include "chain/MendedLevel.h"
#include "chain/RestOfSource.h"

#include <algorithm>
#include <cmath>
#include <optional>

namespace um {
namespace {

constexpr int mostLengths = 6;
constexpr double closestEndRatio = 1.03;  // between what holds and what does not

// Where nothing has failed yet, each length is so much less than the one before, and than there is at least.
constexpr double step = 0.85, leastGain = 0.95;

// Where so few places are too far off, they are made dearer, and the source is reduced anew so many times.
constexpr std::size_t closestPlaces = 10;
constexpr int closestRepairs = 2;

class ClosestSearch {
public:
    ClosestSearch(const Mesh& source, std::size_t triangles, const ReduceSettings& settings, const Progress& progress)
        : m_source(source),
          m_triangles(triangles),
          m_settings(settings),
          m_progress(progress),
          m_mender(source, progress.span(0, 0.02)),
          m_dearer(source) {}

    ClosestLevel run() {
        begin(m_progress.span(0.02, 0.05));
        m_best.notes = m_reduction->notes();
        m_best.mesh = m_reduction->mesh(m_progress.span(0.05, 0.08));
        m_best.targetMet = m_best.mesh.triangleCount() <= m_triangles;
        m_best.deviation = measureDeviation(m_mender.source(), m_best.mesh, {}, m_progress.span(0.08, 0.1));
        const double share = double(m_best.mesh.triangleCount()) / double(m_source.triangleCount());
        double within = usualMax(m_best.deviation, share), failed = 0;
        for (int i = 0; i < mostLengths && m_settings.polish && m_best.targetMet; ++i) {
            const double off = m_best.deviation.max;
            if (off <= closestEndRatio * failed) break;
            within = failed > 0 ? std::sqrt(failed * off) : std::min(within, leastGain * off);
            if (!(within > 0)) break;
            if (!comesWithin(within)) failed = within;
            within *= step;
        }
        return std::move(m_best);
    }

private:
    struct Trial {
        bool holds = false;
        std::vector<TriangleId> tooFar;  // of the source, one at each place, if they may be made dearer
    };

    // Nobody knows the number of trials beforehand: each takes a share of what is left.
    Progress nextSpan() {
        const double begin = 1 - 0.9 * std::pow(0.82, m_trials), end = 1 - 0.9 * std::pow(0.82, m_trials + 1);
        ++m_trials;
        return m_progress.span(begin, end);
    }

    void begin(const Progress& progress) {
        m_reduction.emplace(m_source, m_triangles, m_settings, progress.span(0, 0.3));
        m_reduction->reduceTo(m_triangles, progress.span(0.3, 1));
    }

    // What was made dearer in vain goes back.
    bool comesWithin(double within) {
        const std::vector<float> before = m_settings.dearer;
        Trial trial = tryWithin(within, nextSpan());
        for (int i = 0; i < closestRepairs && !trial.tooFar.empty(); ++i) {
            m_dearer.add(trial.tooFar, m_triangles, m_settings.dearer);
            m_reduction.reset();
            trial = tryWithin(within, nextSpan());
        }
        if (!trial.holds && m_settings.dearer != before) {
            m_settings.dearer = before;
            m_reduction.reset();
        }
        return trial.holds;
    }

    Trial tryWithin(double within, const Progress& progress) {
        if (!m_reduction) begin(progress.span(0, 0.1));
        MeasuredLevel level = m_mender.make(*m_reduction, within, {}, progress.span(0.1, 0.9));
        Trial trial{level.deviation.maxBound <= within, {}};
        if (!trial.holds && placesFartherThan(within, level.deviation) <= closestPlaces)
            trial.tooFar = m_dearer.trianglesTooFar(level.mesh, level.deviation, within);
        if (level.deviation.max < m_best.deviation.max && level.mesh.triangleCount() <= m_triangles) {
            // On the way few places were measured, and hopeless ones not proven.
            DeviationSettings measuring;
            measuring.allowed = trial.holds ? within : 0;
            level.deviation = measureDeviation(m_mender.source(), level.mesh, measuring, progress.span(0.9, 1));
            if (level.deviation.max < m_best.deviation.max) {
                m_best.mesh = std::move(level.mesh);
                m_best.deviation = std::move(level.deviation);
            }
        }
        return trial;
    }

    const Mesh& m_source;
    std::size_t m_triangles;
    ReduceSettings m_settings;
    const Progress& m_progress;
    LevelMender m_mender;
    DearerPlaces m_dearer;
    std::optional<Reduction> m_reduction;
    ClosestLevel m_best;
    int m_trials = 0;
};

}  // namespace

ClosestLevel closestAt(const Mesh& source, std::size_t triangles, const ReduceSettings& settings,
                       const Progress& progress) {
    ReduceSettings patient = settings;
    patient.isPatient = true;
    const RestOfSource rest(source, triangles, patient, progress.span(0, 0.02));
    ClosestLevel closest = ClosestSearch(rest.mesh(), triangles, rest.settings(), progress.span(0.02, 0.95)).run();
    rest.tellOfWhole(closest.mesh, closest.deviation, closest.notes, progress.span(0.95, 1));
    progress.at(1);
    return closest;
}

}  // namespace um
