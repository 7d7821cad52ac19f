#include "app/jobs/Job.h"

#include "base/Error.h"

#include <new>

namespace um::app {

Job::Job(QObject* parent) : QObject(parent) {
    m_reporter.setInterval(50);
    connect(&m_reporter, &QTimer::timeout, this, &Job::report);
}

Job::~Job() {
    cancelAndWait();
}

void Job::start(Work work) {
    if (m_running) m_progress.cancel();
    ++m_number;
    m_progress = Progress();
    m_running = true;
    m_clock.start();
    m_reporter.start();
    emit started();
    m_threads[m_number] = std::thread([this, work = std::move(work), progress = m_progress, number = m_number] {
        Delivery delivery;
        QString problem;
        bool wasCancelled = false;
        try {
            delivery = work(progress);
        } catch (const Cancelled&) {
            wasCancelled = true;
        } catch (const Error& error) {
            problem = QString::fromUtf8(error.what());
        } catch (const std::bad_alloc&) {
            problem = tr("There is not enough memory for this; close other programs or use a smaller mesh.");
        } catch (const std::exception& error) {
            problem = tr("Something unexpected went wrong (%1); save your work and try again.").arg(error.what());
        }
        QMetaObject::invokeMethod(
            this, [this, number, delivery, problem, wasCancelled] { finish(number, delivery, problem, wasCancelled); },
            Qt::QueuedConnection);
    });
}

void Job::cancel() {
    if (m_running) m_progress.cancel();
}

void Job::cancelAndWait() {
    m_progress.cancel();
    ++m_number;  // what has been computed already is not waited for by anyone
    for (auto& [number, thread] : m_threads) thread.join();
    m_threads.clear();
    m_reporter.stop();
    m_running = false;
}

void Job::report() {
    const double fraction = m_progress.fraction();
    const double seconds = double(m_clock.elapsed()) / 1000;
    const bool canTell = fraction > 0.02 && seconds > 0.3;
    emit progressed(fraction, canTell ? seconds * (1 - fraction) / fraction : -1.0);
}

void Job::finish(int number, const Delivery& delivery, const QString& problem, bool wasCancelled) {
    // Only this computation's thread, which is at its end: one whose place it has taken may still run for long.
    if (const auto thread = m_threads.find(number); thread != m_threads.end()) {
        thread->second.join();
        m_threads.erase(thread);
    }
    if (number != m_number) return;  // a newer start has taken its place
    m_running = false;
    m_reporter.stop();
    if (wasCancelled)
        emit cancelled();
    else if (!problem.isEmpty())
        emit failed(problem);
    else if (delivery)
        delivery();
    emit ended();
}

}  // namespace um::app
