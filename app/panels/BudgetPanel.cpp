#include "app/panels/BudgetPanel.h"

#include "app/theme/Theme.h"
#include "base/Units.h"

#include <cmath>
#include <QMouseEvent>
#include <QPainter>

namespace um::app {
namespace {

constexpr int heading = 18, row = 24, side = 9;

QString amount(double value, const std::string& unit) {
    return unit.empty() ? QString::fromStdString(formatShortCount(std::size_t(std::llround(value))))
                        : QString::fromStdString(formatNumber(value));
}

}  // namespace

BudgetPanel::BudgetPanel(QWidget* parent) : QWidget(parent) {
    setCursor(Qt::PointingHandCursor);
    setToolTip(tr("What the chain costs; click to set what it may cost"));
    hide();
}

void BudgetPanel::show(const std::vector<BudgetLine>& lines) {
    m_lines.clear();
    // The triangles of each level stand in the list above, files are not written yet: told only where they are limited.
    for (const BudgetLine& line : lines)
        if (line.used > 0 && ((line.name != "Triangles per level" && line.name != "Files") || line.allowed > 0))
            m_lines.push_back(line);
    setFixedHeight(heading + row * int(m_lines.size()));
    setVisible(!m_lines.empty());
    update();
}

void BudgetPanel::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    painter.setFont(headingFont());
    painter.setPen(theme().softInk);
    painter.drawText(QRect(side, 0, width() - 2 * side, heading), Qt::AlignLeft | Qt::AlignTop, tr("BUDGET"));
    painter.setFont(textFont(-1));
    for (std::size_t i = 0; i < m_lines.size(); ++i) {
        const BudgetLine& line = m_lines[i];
        const QRect place(side, heading + int(i) * row, width() - 2 * side, row);
        painter.setPen(theme().ink);
        painter.drawText(place.adjusted(0, 0, 0, -6), Qt::AlignLeft | Qt::AlignVCenter,
                         QString::fromStdString(line.name));
        QString text = amount(line.used, line.unit);
        if (line.allowed > 0) text += tr(" of %1").arg(amount(line.allowed, line.unit));
        if (!line.unit.empty()) text += " " + QString::fromStdString(line.unit);
        painter.setPen(line.isOver() ? theme().amber : theme().softInk);
        painter.drawText(place.adjusted(0, 0, 0, -6), Qt::AlignRight | Qt::AlignVCenter, text);
        if (!(line.allowed > 0)) continue;
        const QRectF bar(place.left(), place.bottom() - 5, place.width(), 3);
        painter.setPen(Qt::NoPen);
        painter.setBrush(theme().rule);
        painter.drawRoundedRect(bar, 1.5, 1.5);
        painter.setBrush(line.isOver() ? theme().amber : theme().accent);
        painter.drawRoundedRect(
            QRectF(bar.left(), bar.top(), bar.width() * std::min(1.0, line.used / line.allowed), bar.height()), 1.5,
            1.5);
    }
}

void BudgetPanel::mousePressEvent(QMouseEvent* event) {
    if (event->button() == Qt::LeftButton) emit chosen();
}

}  // namespace um::app
