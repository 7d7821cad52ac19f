#pragma once
/// The source, the kept levels and the preview, with their triangles and largest deviation; a click shows one, and
/// dragging puts a level in another place of the chain.
#include "document/Document.h"

#include <optional>
#include <QWidget>

class QGridLayout;
class QMenu;
class QScrollArea;

namespace um::app {

/// Which mesh is shown: the source, a kept level by its number, or the result that is not kept yet.
struct Shown {
    static constexpr int source = -1;
    static constexpr int preview = -2;
    int level = source;
    bool operator==(const Shown&) const = default;
};

class LevelsPanel : public QWidget {
    Q_OBJECT

public:
    explicit LevelsPanel(QWidget* parent = nullptr);

    void show(const Document& document, const std::optional<Level>& preview, Shown shown,
              const std::vector<bool>& stale);
    /// Where the row of a level is, in this panel.
    QRect rowOf(int level) const;
    /// What can be done with a kept level.
    void fillMenu(QMenu& menu, int level);

signals:
    void chosen(um::app::Shown shown);
    void renamed(int level, const QString& name);
    void removed(int level);
    void exportWanted(int level);
    void moved(int from, int to);
    void lockWanted(int level, bool locked);
    /// A file in the level's place; below 0 as a new one.
    void fileWanted(int level);
    void recipeChanged(int level, const um::LevelRecipe& recipe);
    void chainWanted();

protected:
    bool eventFilter(QObject* watched, QEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;

private:
    void openMenu(int level, const QPoint& place);
    void startRenaming(int level);
    int levelUnder(const QPoint& place) const;

    QGridLayout* m_rows;
    QScrollArea* m_scroll = nullptr;
    std::vector<Level> m_levels;
    Protect m_protect;  // of the chain
    QPoint m_pressed;
    int m_dragged = -1;  // the level in hand
    std::vector<QWidget*> m_rowWidgets;
    std::vector<int> m_rowLevels;
    std::vector<QString> m_names;
};

}  // namespace um::app
