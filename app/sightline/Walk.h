#pragma once
/// The viewer's walk along the Sightline: from afar up to the asset and away again, evenly over the logarithm of
/// distance, as one would come near and leave.
#include <QElapsedTimer>
#include <QTimer>

namespace um::app {

class Walk : public QObject {
    Q_OBJECT

public:
    explicit Walk(QObject* parent = nullptr);

    void start(double nearest, double farthest);
    void stop();
    bool isWalking() const { return m_timer.isActive(); }

    /// The viewer goes to where it is so many milliseconds after the start; the walk ends with its time.
    void goTo(qint64 time);

    /// Both ways together.
    static constexpr int milliseconds = 12000;
    /// Where the viewer is after a share of the walk, 0 to 1.
    static double placeAt(double share, double nearest, double farthest);

signals:
    void moved(double metres);
    void walkingChanged(bool walks);

private:
    double m_nearest = 0, m_farthest = 0;
    QElapsedTimer m_clock;
    QTimer m_timer;
};

}  // namespace um::app
