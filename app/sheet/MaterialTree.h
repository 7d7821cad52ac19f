#pragma once
/// Materials under the sheets that they go on: dragged to another sheet, to a new one, to those that keep their own
/// textures, or onto a material that is to be shown in their place.
#include <cstdint>
#include <QTreeWidget>

namespace um::app {

class MaterialTree : public QTreeWidget {
    Q_OBJECT

public:
    explicit MaterialTree(QWidget* parent = nullptr);

    /// What a row stands for, as its data in these roles.
    enum class Kind { Sheet, AnotherSheet, LeftOut, Material, StoodInFor };
    static constexpr int rowHeight = 21;
    static constexpr int kindRole = Qt::UserRole, numberRole = Qt::UserRole + 1;
    static Kind kindOf(const QTreeWidgetItem* item) { return Kind(item->data(0, kindRole).toInt()); }
    static int numberOf(const QTreeWidgetItem* item) { return item->data(0, numberRole).toInt(); }
    /// The row of a sheet or material; null if there is none.
    QTreeWidgetItem* rowOf(Kind kind, int number) const;
    /// As high as its rows.
    void fit();

    /// What is being dragged is let go there.
    void dropAt(const QPoint& place);

signals:
    /// A material was dropped on a row.
    void dropped(std::uint32_t material, um::app::MaterialTree::Kind onto, int number);

protected:
    void dragMoveEvent(QDragMoveEvent* event) override;
    void dropEvent(QDropEvent* event) override;
    void contextMenuEvent(QContextMenuEvent* event) override;

private:
    /// The row that something dropped at a place goes to; null where it can't.
    QTreeWidgetItem* targetAt(const QPoint& place) const;
};

}  // namespace um::app
