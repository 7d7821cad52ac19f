#pragma once
/// A turntable that plays the views from which the outline is worst: it turns to one after the other, and stays there
/// a moment, first on the level and then on its source.
#include "measure/Silhouette.h"

#include <QElapsedTimer>
#include <QTimer>

namespace um::app {

class Viewport;

/// The worst views of a silhouette, the worst first, none near to one before it.
std::vector<Direction> worstViews(const Silhouette& silhouette, std::size_t most);

class WorstTour : public QObject {
    Q_OBJECT

public:
    explicit WorstTour(Viewport& viewport, QObject* parent = nullptr);

    void play(const Silhouette& silhouette);
    void stop();
    bool isPlaying() const { return m_timer.isActive(); }
    /// How long one view takes, turning and staying.
    static constexpr int millisecondsPerView = 3200;

signals:
    void playingChanged(bool plays);
    /// Which of the views it stays at, from 0.
    void arrived(int view);

private:
    void step();
    void turnTo(double share);

    Viewport& m_viewport;
    std::vector<Direction> m_views;
    std::size_t m_next = 0;
    bool m_hasArrived = false;
    double m_fromYaw = 0, m_fromPitch = 0;
    QElapsedTimer m_clock;
    QTimer m_timer;
};

}  // namespace um::app
