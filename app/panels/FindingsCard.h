#pragma once
/// What is wrong with the mesh shown: how many, why it matters, where, and what can be done. A card over the viewport.
#include "app/jobs/Job.h"
#include "mesh/Health.h"

#include <memory>
#include <QWidget>

class QHBoxLayout;
class QLabel;
class QPushButton;
class QScrollArea;
class QVBoxLayout;

namespace um::app {

class FindingsCard : public QWidget {
    Q_OBJECT

public:
    FindingsCard(Job& looking, Job& repairing, QWidget* parent);

    /// @param findings  null while they are not known
    void show(const QString& meshName, std::shared_ptr<const Mesh> mesh,
              std::shared_ptr<const std::vector<Finding>> findings);

signals:
    void placeChosen(const um::Vec3f& place);
    /// @param size  up to which it is to be repaired, in the mesh's unit
    void repairWanted(um::Fault fault, double size);
    /// Looking for faults was cancelled, and is to be done after all.
    void lookWanted();
    void closed();

protected:
    bool eventFilter(QObject* watched, QEvent* event) override;
    void moveEvent(QMoveEvent* event) override;

private:
    void fit();
    QWidget* makeRow(const Finding& finding);
    void addRepair(const Finding& finding, QHBoxLayout* line, QPushButton* repair);

    std::shared_ptr<const Mesh> m_mesh;
    std::shared_ptr<const std::vector<Finding>> m_findings;
    QLabel* m_title;
    QLabel* m_nothing;
    QPushButton* m_look;
    QScrollArea* m_scroll;
    int m_rowsHeight = 0;
    QVBoxLayout* m_column;
};

}  // namespace um::app
