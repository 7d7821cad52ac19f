#pragma once
/// How far to reduce: the target field, what it comes to, and the button; progress and Cancel take the button's place.
#include "app/jobs/Job.h"
#include "chain/Target.h"

#include <QWidget>

class QLabel;
class QLineEdit;
class QPushButton;
class QSlider;

namespace um::app {

class JobStrip;

class TargetPanel : public QWidget {
    Q_OBJECT

public:
    TargetPanel(Job& reducing, QWidget* parent = nullptr);

    /// What targets are about; 0 triangles disables the panel.
    void setSource(std::size_t triangles, double metresPerUnit, const Screen& screen);
    /// What is typed; while nothing is, what stands there instead.
    QString text() const;
    void showTarget(const QString& text);
    void showProblem(const QString& sentence);
    /// Whether counts are searched for the closest level.
    void showThorough(bool isThorough);

    /// Reads the field and asks for the reduction, or says what is wrong.
    void submit();

signals:
    void reduceWanted(const QString& typed, const um::Target& target);
    void thoroughChosen(bool isThorough);

private:
    void describe();
    void followSlider();

    std::size_t m_sourceTriangles = 0;
    double m_metresPerUnit = 1;
    Screen m_screen;
    QLineEdit* m_field;
    QPushButton* m_button;
    QPushButton* m_thorough;
    QLabel* m_meaning;
    QSlider* m_slider;
    JobStrip* m_progress;
};

}  // namespace um::app
