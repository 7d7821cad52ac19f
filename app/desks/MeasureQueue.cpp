#include "app/desks/MeasureQueue.h"

#include <algorithm>

namespace um::app {

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

void MeasureQueue::next() {
    if (m_isPaused || !m_source || m_measuring.isRunning()) return;
    const auto found = std::find_if(m_waiting.begin(), m_waiting.end(), [&](const Unmeasured& one) {
        return std::find(m_declined.begin(), m_declined.end(), one.mesh) == m_declined.end();
    });
    if (found == m_waiting.end()) return;
    m_now = found->mesh;
    m_measuring.start([this, source = m_source, level = *found](const Progress& progress) -> Job::Delivery {
        auto evidence = level.evidence;
        if (!evidence)
            evidence =
                std::make_shared<const Deviation>(measureDeviation(*source, *level.mesh, {}, progress.span(0, 0.9)));
        const Progress last = progress.span(0.9, 1);
        const ContourMesh contour(*source);
        const OutlineError outline = measureOutlineError(outlinesOf(contour, last), *level.mesh, last);
        return [this, source, mesh = level.mesh, evidence, outline] {
            std::erase_if(m_waiting, [&](const Unmeasured& one) { return one.mesh == mesh; });
            if (source == m_source) emit measured(mesh, evidence, outline);
        };
    });
    emit changed();
}

}  // namespace um::app
