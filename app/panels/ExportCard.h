#pragma once
/// Delivering levels: files by a naming pattern, packed and placed as wanted, with a manifest. A card over the
/// viewport, beside which everything else goes on.
#include "app/jobs/Job.h"
#include "chain/Delivery.h"
#include "document/Document.h"

#include <QWidget>

class QCheckBox;
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
    DeliverySettings settings() const;
    /// What is chosen of the document; levels that are not measured yet have no evidence.
    Delivery delivery() const;
    void preview();
    void write();

    Document m_document;
    Job m_job;
    QComboBox* m_which;
    QLineEdit* m_folder;
    QLineEdit* m_pattern;
    QComboBox *m_format, *m_packing, *m_pivot, *m_up, *m_unit;
    QCheckBox *m_oneFile, *m_order;
    QLabel* m_preview;
    QPushButton* m_write;
};

}  // namespace um::app
