#include "app/sheet/MaterialTree.h"

#include "app/theme/Theme.h"

#include <QContextMenuEvent>
#include <QDropEvent>
#include <QHeaderView>
#include <QMenu>
#include <QTreeWidgetItemIterator>

namespace um::app {

MaterialTree::MaterialTree(QWidget* parent) : QTreeWidget(parent) {
    setColumnCount(2);
    setHeaderHidden(true);
    setRootIsDecorated(false);
    setItemsExpandable(false);
    setIndentation(14);
    setFrameShape(QFrame::NoFrame);
    viewport()->setAutoFillBackground(false);
    setUniformRowHeights(true);
    setFont(textFont(-1));
    setSelectionMode(QAbstractItemView::SingleSelection);
    setDragDropMode(QAbstractItemView::InternalMove);
    setDropIndicatorShown(true);
    setVerticalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    header()->setStretchLastSection(false);
    header()->setSectionResizeMode(0, QHeaderView::Stretch);
    header()->setSectionResizeMode(1, QHeaderView::ResizeToContents);
}

QTreeWidgetItem* MaterialTree::rowOf(Kind kind, int number) const {
    for (QTreeWidgetItemIterator it(const_cast<MaterialTree*>(this)); *it != nullptr; ++it)
        if (kindOf(*it) == kind && (kind == Kind::AnotherSheet || kind == Kind::LeftOut || numberOf(*it) == number))
            return *it;
    return nullptr;
}

void MaterialTree::fit() {
    int rows = 0;
    for (QTreeWidgetItemIterator it(this); *it != nullptr; ++it) ++rows;
    expandAll();
    setFixedHeight(rows * rowHeight);
}

QTreeWidgetItem* MaterialTree::targetAt(const QPoint& place) const {
    QTreeWidgetItem* target = itemAt(place);
    if (target == nullptr || currentItem() == nullptr || target == currentItem()) return nullptr;
    if (kindOf(target) == Kind::StoodInFor) target = target->parent();
    if (target == currentItem()) return nullptr;
    return target;
}

void MaterialTree::dragMoveEvent(QDragMoveEvent* event) {
    QTreeWidget::dragMoveEvent(event);
    if (targetAt(event->position().toPoint()) == nullptr)
        event->ignore();
    else
        event->acceptProposedAction();
}

void MaterialTree::dropEvent(QDropEvent* event) {
    // The rows are made anew from what was decided, so that nothing is moved here.
    event->setDropAction(Qt::IgnoreAction);
    event->accept();
    dropAt(event->position().toPoint());
}

void MaterialTree::dropAt(const QPoint& place) {
    const QTreeWidgetItem *from = currentItem(), *target = targetAt(place);
    if (from == nullptr || target == nullptr || (kindOf(from) != Kind::Material && kindOf(from) != Kind::StoodInFor))
        return;
    emit dropped(std::uint32_t(numberOf(from)), kindOf(target), numberOf(target));
}

void MaterialTree::contextMenuEvent(QContextMenuEvent* event) {
    const QTreeWidgetItem* from = itemAt(event->pos());
    if (from == nullptr || (kindOf(from) != Kind::Material && kindOf(from) != Kind::StoodInFor)) return;
    const auto material = std::uint32_t(numberOf(from));
    QMenu menu;
    QMenu* likeAnother = nullptr;
    std::vector<std::pair<QAction*, const QTreeWidgetItem*>> actions;
    for (QTreeWidgetItemIterator it(this); *it != nullptr; ++it) {
        const Kind kind = kindOf(*it);
        if (kind == Kind::StoodInFor || *it == from) continue;
        if (kind == Kind::Material) {
            if (likeAnother == nullptr) likeAnother = new QMenu(tr("Show in its place"), &menu);
            actions.emplace_back(likeAnother->addAction((*it)->text(0)), *it);
        } else {
            actions.emplace_back(menu.addAction((*it)->text(0)), *it);
        }
    }
    if (likeAnother != nullptr) menu.addMenu(likeAnother);
    const QAction* chosen = menu.exec(event->globalPos());
    for (const auto& [action, row] : actions)
        if (action == chosen) {
            emit dropped(material, kindOf(row), numberOf(row));
            return;
        }
}

}  // namespace um::app
