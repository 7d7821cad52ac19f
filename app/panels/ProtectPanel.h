#pragma once
/// What a reduction has to take care of: protected lines, the outline, loose pieces.
#include "document/Document.h"

#include <QAbstractButton>

class QLabel;
class QPushButton;
class QSlider;

namespace um::app {

class CommitField;

/// A pill with three states, stepped through by clicks: off, on, and hard with a padlock.
class ProtectionChip : public QAbstractButton {
    Q_OBJECT

public:
    /// @param meaning  what is protected, for the hint
    ProtectionChip(const QString& name, const QString& meaning, QWidget* parent = nullptr);
    Protection state() const { return m_state; }
    void setState(Protection state);
    QSize sizeHint() const override;

signals:
    void stepped(um::Protection state);

protected:
    void paintEvent(QPaintEvent* event) override;

private:
    QString m_meaning;
    Protection m_state = Protection::Off;
};

class ProtectPanel : public QWidget {
    Q_OBJECT

public:
    explicit ProtectPanel(QWidget* parent = nullptr);

    void show(const Care& care);
    ProtectionChip* chip(int number) const { return m_chips[std::size_t(number)]; }
    CommitField* looseField() const { return m_loose; }
    QSlider* outlineSlider() const { return m_outline; }
    void showLooseProblem(const QString& sentence);

signals:
    /// Something was set by hand. @param what  for the Edit menu
    void changed(const QString& what, const um::Care& care);

private:
    Care m_care;
    std::vector<ProtectionChip*> m_chips;
    QSlider* m_outline;
    QLabel* m_outlineValue;
    CommitField* m_loose;
};

}  // namespace um::app
