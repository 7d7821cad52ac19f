#pragma once
/// The strip along the top: menus, the document's name, its tolerance and the screen it is seen on.
#include "document/Document.h"

#include <QWidget>

class QLabel;
class QMenuBar;
class QPushButton;

namespace um::app {

class CommitField;

class TopStrip : public QWidget {
    Q_OBJECT

public:
    explicit TopStrip(QWidget* parent = nullptr);

    QMenuBar* menus() const { return m_menus; }
    void show(const Document& document, bool isOpen, bool isEdited);

    /// How many kinds of faults the mesh shown has; below 0 while it is not known.
    void showFindings(int count);

signals:
    void findingsWanted();
    void toleranceWanted(double metres);
    void screenWanted(const um::Screen& screen);

private:
    QMenuBar* m_menus;
    QLabel* m_name;
    QLabel* m_state;
    QWidget* m_fields;
    QPushButton* m_findings;
    CommitField* m_tolerance;
    CommitField* m_screen;
    double m_metresPerUnit = 1;
};

}  // namespace um::app
