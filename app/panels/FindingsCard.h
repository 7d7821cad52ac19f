#pragma once
/// What is wrong with the mesh shown, and which budgets are exceeded: how many, why it matters, where, and what can be
/// done. A card over the viewport.
#include "app/jobs/Job.h"
#include "chain/Budget.h"
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
    /// @param exceeded  what the whole chain has too much of
    void show(const QString& meshName, std::shared_ptr<const Mesh> mesh,
              std::shared_ptr<const std::vector<Finding>> findings, std::vector<BudgetLine> exceeded);

signals:
    void placeChosen(const um::Vec3f& place);
    /// @param size  up to which it is to be repaired, in the mesh's unit
    void repairWanted(um::Fault fault, double size);
    /// Looking for faults was cancelled, and is to be done after all.
    void lookWanted();
    void budgetWanted();
    void closed();

protected:
    bool eventFilter(QObject* watched, QEvent* event) override;
    void moveEvent(QMoveEvent* event) override;

private:
    void fit();
    /// A line that can take buttons, under what and why.
    QWidget* makeRow(const QString& what, const QString& why, QHBoxLayout* line);
    QWidget* makeRow(const Finding& finding);
    QWidget* makeRow(const BudgetLine& exceeded);
    QPushButton* addButton(QHBoxLayout* line, const QString& text, const QString& tip);
    void addRepair(const Finding& finding, QHBoxLayout* line, QPushButton* repair);

    std::shared_ptr<const Mesh> m_mesh;
    std::shared_ptr<const std::vector<Finding>> m_findings;
    std::vector<BudgetLine> m_exceeded;
    QLabel* m_title;
    QLabel* m_nothing;
    QPushButton* m_look;
    QScrollArea* m_scroll;
    std::vector<int> m_rowEnds;  // how far down each row of the list reaches
    QVBoxLayout* m_column;
};

}  // namespace um::app
