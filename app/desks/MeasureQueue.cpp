#include "app/desks/MeasureQueue.h"

#include <algorithm>
#include <utility>

namespace um::app {
namespace {

// What is ready of a source takes about a hundred bytes a triangle; of larger ones it is made anew each time.
constexpr std::size_t mostKeptTriangles = 8'000'000;

}  // namespace

MeasureQueue::MeasureQueue(QObject* parent) : QObject(parent) {
    connect(&m_measuring, &Job::cancelled, this, [this] {
        // Only a Cancel by hand ends it for good.
        if (m_now) m_declined.push_back(std::exchange(m_now, nullptr));
        emit changed();
    });
    connect(&m_measuring, &Job::ended, this, [this] {
        m_now.reset();
        next();
    });
}

void MeasureQueue::set(std::shared_ptr<const Mesh> source, std::vector<Unmeasured> waiting) {
    const bool isNeeded = source == m_source && std::any_of(waiting.begin(), waiting.end(),
                                                            [&](const Unmeasured& one) { return one.mesh == m_now; });
    if (source != m_source) m_ready = {};
    m_source = std::move(source);
    m_waiting = std::move(waiting);
    if (m_now && !isNeeded) {
        m_now.reset();
        m_measuring.cancel();
    }
    next();
}

void MeasureQueue::pause() {
    m_isPaused = true;
    m_now.reset();
    m_measuring.cancel();
}

void MeasureQueue::resume() {
    m_isPaused = false;
    next();
}

void MeasureQueue::forgetCancelled() {
    m_declined.clear();
    next();
}

std::shared_ptr<const Deviation> MeasureQueue::measureSurface(const Mesh& source, const Mesh& level, Ready& ready,
                                                              const Progress& progress) {
    if (!ready.surface) ready.surface = std::make_shared<const DeviationSource>(source, progress.span(0, 0.2));
    return std::make_shared<const Deviation>(measureDeviation(*ready.surface, level, {}, progress.span(0.2, 1)));
}

OutlineError MeasureQueue::measureContour(const Mesh& source, const Mesh& level, Ready& ready,
                                          const Progress& progress) {
    if (!ready.contour) ready.contour = std::make_shared<const Contour>(source, progress.span(0, 0.8));
    return measureOutlineError(ready.contour->outlines, level, progress.span(0.8, 1));
}

void MeasureQueue::next() {
    if (m_isPaused || !m_source || m_measuring.isRunning()) return;
    const auto found = std::find_if(m_waiting.begin(), m_waiting.end(), [&](const Unmeasured& one) {
        return std::find(m_declined.begin(), m_declined.end(), one.mesh) == m_declined.end();
    });
    if (found == m_waiting.end()) return;
    m_now = found->mesh;
    m_measuring.start(
        [this, ready = m_ready, source = m_source, level = *found](const Progress& progress) mutable -> Job::Delivery {
            auto evidence = level.evidence;
            if (!evidence) evidence = measureSurface(*source, *level.mesh, ready, progress.span(0, 0.7));
            const OutlineError outline = measureContour(*source, *level.mesh, ready, progress.span(0.7, 1));
            return [this, source, ready, mesh = level.mesh, evidence, outline] {
                std::erase_if(m_waiting, [&](const Unmeasured& one) { return one.mesh == mesh; });
                if (source != m_source) return;
                if (source->triangleCount() <= mostKeptTriangles) m_ready = ready;
                emit measured(mesh, evidence, outline);
            };
        });
    emit changed();
}

}  // namespace um::app
