#pragma once
/// How far the level shown is from the source: the share within the tolerance, the histogram, the numbers.
#include "document/Document.h"

#include <QWidget>

class QLabel;
class QPushButton;
class QGridLayout;
class QChart;
class QChartView;

namespace um::app {

class Job;
class JobStrip;

class EvidencePanel : public QWidget {
    Q_OBJECT

public:
    EvidencePanel(Job& measuring, QWidget* parent = nullptr);

    /// @param level  null while the source itself is shown
    void show(const Level* level, double toleranceMetres, bool isMeasuring);

    /// Where in the histogram a signed length lies, in the pixels of its view.
    QPointF placeInHistogram(double metres) const;
    QWidget& histogram() const;
    QString headline() const;
    /// A number by the name that stands beside it: "max", "at most", "rms", "p99", "p95", "mean".
    QString number(const QString& name) const;

signals:
    void measureWanted();
    /// To the next place of the largest deviations.
    void worstWanted();
    /// The tolerance while its band is dragged, and when it is let go.
    void toleranceDragged(double metres);
    void toleranceChosen(double metres);

protected:
    bool eventFilter(QObject* watched, QEvent* event) override;

private:
    void showWithin(double toleranceMetres);
    void drawHistogram(double toleranceMetres);
    double lengthAt(double x) const;

    std::shared_ptr<const Deviation> m_deviation;
    double m_metresPerUnit = 1;
    double m_tolerance = 0;  // metres, as drawn
    double m_range = 0;      // metres to either side of the histogram
    bool m_isDragging = false;
    QLabel* m_headline;
    QLabel* m_nothing;
    QPushButton *m_measure, *m_worst;
    QWidget* m_body;
    QChart* m_chart;
    QChartView* m_chartView;
    QLabel* m_scale[3];
    QGridLayout* m_numbers;
    std::vector<std::pair<QString, QLabel*>> m_values;
    JobStrip* m_progress;
};

}  // namespace um::app
