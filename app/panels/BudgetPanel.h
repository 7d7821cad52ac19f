#pragma once
/// Meters of what the chain costs against what it may cost; they call for attention only when over.
#include "chain/Budget.h"

#include <QWidget>

namespace um::app {

class BudgetPanel : public QWidget {
    Q_OBJECT

public:
    explicit BudgetPanel(QWidget* parent = nullptr);

    void show(const std::vector<BudgetLine>& lines);
    const std::vector<BudgetLine>& lines() const { return m_lines; }

signals:
    /// Someone wants to set the budget.
    void chosen();

protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;

private:
    std::vector<BudgetLine> m_lines;
};

}  // namespace um::app
