#pragma once
/// What is wrong with the mesh shown: how many, why it matters, where, and what can be done. A card over the viewport.
#include "app/jobs/Job.h"
#include "mesh/Health.h"

#include <memory>
#include <QWidget>

class QLabel;
class QScrollArea;
class QVBoxLayout;

namespace um::app {

class FindingsCard : public QWidget {
    Q_OBJECT

public:
    explicit FindingsCard(QWidget* parent);

    /// @param findings  null while they are being looked for
    void show(const QString& meshName, std::shared_ptr<const std::vector<Finding>> findings, double metresPerUnit);

signals:
    void placeChosen(const um::Vec3f& place);
    void repairWanted(um::Fault fault);
    void closed();

protected:
    bool eventFilter(QObject* watched, QEvent* event) override;

private:
    void fit();
    QWidget* makeRow(const Finding& finding, double metresPerUnit);

    std::shared_ptr<const std::vector<Finding>> m_findings;
    QLabel* m_title;
    QLabel* m_nothing;
    QScrollArea* m_scroll;
    int m_rowsHeight = 0;
    QVBoxLayout* m_column;
};

}  // namespace um::app
