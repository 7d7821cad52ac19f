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

void MeasureQueue::set(std::shared_ptr<const Mesh> source, std::vector<std::shared_ptr<const Mesh>> waiting) {
    const bool isNeeded = source == m_source && std::find(waiting.begin(), waiting.end(), m_now) != waiting.end();
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
    const auto mesh = std::find_if(m_waiting.begin(), m_waiting.end(), [&](const auto& one) {
        return std::find(m_declined.begin(), m_declined.end(), one) == m_declined.end();
    });
    if (mesh == m_waiting.end()) return;
    m_now = *mesh;
    m_measuring.start([this, source = m_source, level = m_now](const Progress& progress) -> Job::Delivery {
        auto evidence = std::make_shared<const Deviation>(measureDeviation(*source, *level, {}, progress));
        return [this, source, level, evidence] {
            std::erase(m_waiting, level);
            if (source == m_source) emit measured(level, evidence);
        };
    });
    emit changed();
}

}  // namespace um::app
