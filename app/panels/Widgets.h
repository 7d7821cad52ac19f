#pragma once
/// Small widgets that the panels share.
#include <functional>
#include <QLabel>
#include <QLayout>
#include <QLineEdit>
#include <QProgressBar>
#include <QPushButton>
#include <QWidget>

class QComboBox;
class QScrollArea;

namespace um::app {

class Job;

/// Takes everything out of a layout. What was in it is out of sight at once, but outlives the click that it may be in.
void emptyLayout(QLayout& layout);

/// "PARTS": the small heading of a panel's section.
QLabel* makeHeading(const QString& text);
/// A label in the soft ink.
QLabel* makeQuietLabel(const QString& text = {});
/// The same text, which a label may break inside of words that are longer than so many letters, as file names are.
QString breakable(const QString& text, int mostLetters = 24);
/// A box whose entries may be longer than there is room: it does not become wider for them.
void keepNarrow(QComboBox& box);
/// A thin horizontal line.
QWidget* makeRule();
/// Room for content that may be taller than it.
QScrollArea* makeScroll(QWidget* content = nullptr);
/// A toggle that looks like a pill.
QPushButton* makeChip(const QString& text, const QString& tip);

/// A name in one line, shortened in its middle where there is no room for it; pointed at, it is told in full.
class NameLabel : public QLabel {
public:
    explicit NameLabel(const QString& text = {}, QWidget* parent = nullptr);
    QSize minimumSizeHint() const override;

protected:
    bool event(QEvent* event) override;
    void paintEvent(QPaintEvent* event) override;

private:
    QString shown() const;
};

/// A field that acts on Enter or when it is left, never while typing; Esc brings the old text back.
class CommitField : public QLineEdit {
    Q_OBJECT

public:
    explicit CommitField(QWidget* parent = nullptr);
    /// Shows a value that is in force, whatever is typed.
    void showValue(const QString& text);
    /// The same, but leaves alone what is just being typed.
    void updateValue(const QString& text);
    /// What to read while pointing at the field.
    void setHint(const QString& hint);
    /// Marks what is typed as wrong, with a sentence in the hint's place.
    void showProblem(const QString& sentence);

signals:
    void committed(const QString& text);

protected:
    bool event(QEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void focusOutEvent(QFocusEvent* event) override;

private:
    QString m_value;
    QString m_hint;
};

/// Progress, time left and Cancel of a job, in the place it was started from; hidden while nothing runs.
class JobStrip : public QWidget {
    Q_OBJECT

public:
    /// @param what  "Reducing"
    JobStrip(Job& job, const QString& what, QWidget* parent = nullptr);
    void setWhat(const QString& what) { m_what = what; }
    QString text() const { return m_label->text(); }

private:
    QString m_what;
    QLabel* m_label;
    QProgressBar* m_bar;
    QPushButton* m_cancel;
};

}  // namespace um::app
