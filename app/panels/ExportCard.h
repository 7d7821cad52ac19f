#pragma once
/// Writing levels to files by a naming pattern: a card over the viewport, beside which everything else goes on.
#include "app/jobs/Job.h"
#include "document/Document.h"

#include <QWidget>

class QComboBox;
class QLabel;
class QLineEdit;
class QPushButton;

namespace um::app {

class ExportCard : public QWidget {
    Q_OBJECT

public:
    explicit ExportCard(QWidget* parent);

    /// Opens the card. @param level  one level, or -1 for all of them
    void open(const Document& document, int level);
    Job& job() { return m_job; }

signals:
    void exported(const QString& sentence);

private:
    struct Piece {
        std::shared_ptr<const Mesh> mesh;
        std::filesystem::path file;
    };
    std::vector<Piece> pieces() const;
    void preview();
    void write();

    Document m_document;
    Job m_job;
    QComboBox* m_which;
    QLineEdit* m_folder;
    QLineEdit* m_pattern;
    QComboBox* m_format;
    QLabel* m_preview;
    QPushButton* m_write;
};

}  // namespace um::app
