#pragma once
/// One long computation beside the window: its progress, its cancelling, and its result brought back to the window's
/// thread.
#include "base/Progress.h"

#include <functional>
#include <map>
#include <QElapsedTimer>
#include <QObject>
#include <QTimer>
#include <thread>

namespace um::app {

/// Delivers one computation at a time. Starting another cancels the one before, which may run on for a while beside it;
/// its result is dropped.
class Job : public QObject {
    Q_OBJECT

public:
    /// What is done with the result, in the window's thread.
    using Delivery = std::function<void()>;
    /// Computes, in a thread of its own.
    using Work = std::function<Delivery(const Progress&)>;

    explicit Job(QObject* parent = nullptr);
    ~Job() override;

    void start(Work work);
    void cancel();
    /// Cancels, and returns when the computation has ended; nothing is delivered.
    void cancelAndWait();
    bool isRunning() const { return m_running; }

signals:
    void started();
    /// @param secondsLeft  below 0 while it cannot be told
    void progressed(double fraction, double secondsLeft);
    void failed(const QString& sentence);
    void cancelled();
    /// Behind any of the endings, and behind the delivery.
    void ended();

private:
    void finish(int number, const Delivery& delivery, const QString& problem, bool wasCancelled);
    void report();

    Progress m_progress;
    std::map<int, std::thread> m_threads;  // by the number of their start
    QTimer m_reporter;
    QElapsedTimer m_clock;
    int m_number = 0;
    bool m_running = false;
};

}  // namespace um::app
