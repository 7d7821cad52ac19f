#pragma once
/// The list of parts: name, triangles, guard, and a bar as long as the part's share. However many there are, only the
/// rows in sight cost anything.
#include <QListView>

namespace um::app {

class PartsModel;

class PartsList : public QListView {
    Q_OBJECT

public:
    struct Row {
        QString name;
        std::size_t triangles = 0;
        double share = 0;  ///< of the whole's triangles, 0 to 1
        QString guard;     ///< a word, or empty
        bool operator==(const Row&) const = default;
    };

    explicit PartsList(QWidget* parent = nullptr);

    void setRows(std::vector<Row> rows);
    /// Marks a row and brings it into sight; -1 for none.
    void mark(int row);
    /// The next row behind the one that is marked whose name holds `text`, in any case; -1 for none.
    int findNext(const QString& text) const;

signals:
    void rowClicked(int row);

protected:
    void resizeEvent(QResizeEvent* event) override;

private:
    void fit();

    PartsModel* m_model;
};

}  // namespace um::app
