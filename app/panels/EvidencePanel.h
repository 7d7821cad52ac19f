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

    QString headline() const;
    /// A number by the name that stands beside it: "max", "at most", "rms", "p99", "p95", "mean".
    QString number(const QString& name) const;

signals:
    void measureWanted();
    /// To the place of the largest deviation.
    void worstWanted();

private:
    void drawHistogram(const Deviation& deviation, double metresPerUnit, double toleranceMetres);

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
