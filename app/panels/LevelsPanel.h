#pragma once
/// The source, the kept levels and the preview, with their triangles and largest deviation; a click shows one.
#include "document/Document.h"

#include <optional>
#include <QWidget>

class QGridLayout;

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

    void show(const Document& document, const std::optional<Level>& preview, Shown shown);

signals:
    void chosen(um::app::Shown shown);
    void renamed(int level, const QString& name);
    void removed(int level);
    void exportWanted(int level);

protected:
    bool eventFilter(QObject* watched, QEvent* event) override;

private:
    void openMenu(int level, const QPoint& place);
    void startRenaming(int level);

    QGridLayout* m_rows;
    std::vector<QWidget*> m_rowWidgets;
    std::vector<int> m_rowLevels;
    std::vector<QString> m_names;
};

}  // namespace um::app
