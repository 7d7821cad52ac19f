#include "app/panels/Widgets.h"

#include "app/jobs/Job.h"
#include "app/theme/Theme.h"

#include <cmath>
#include <QComboBox>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QPainter>
#include <QScrollArea>
#include <QStyle>
#include <QStyleOption>
#include <QToolTip>
#include <QVBoxLayout>

namespace um::app {
namespace {

void setWrong(QWidget* widget, bool wrong) {
    if (widget->property("wrong").toBool() == wrong) return;
    widget->setProperty("wrong", wrong);
    widget->style()->unpolish(widget);
    widget->style()->polish(widget);
}

QString timeLeft(double seconds) {
    if (seconds < 0) return {};
    if (seconds < 90) return QObject::tr(" · %1 s left").arg(std::max(1, int(std::lround(seconds))));
    return QObject::tr(" · %1 min left").arg(int(std::lround(seconds / 60)));
}

}  // namespace

QLabel* makeHeading(const QString& text) {
    QLabel* label = makeQuietLabel(text);
    label->setFont(headingFont());
    return label;
}

QLabel* makeQuietLabel(const QString& text) {
    auto* label = new QLabel(text);
    label->setObjectName("soft");
    label->setFont(textFont(-1));
    return label;
}

QString breakable(const QString& text, int mostLetters) {
    constexpr QChar mayBreakHere(0x200B);
    QString result;
    int letters = 0;
    for (const QChar letter : text) {
        letters = letter.isSpace() ? 0 : letters + 1;
        if (letters > mostLetters && !letter.isLowSurrogate()) {
            result += mayBreakHere;
            letters = 1;
        }
        result += letter;
    }
    return result;
}

void keepNarrow(QComboBox& box) {
    box.setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
    box.setMinimumContentsLength(12);
}

void emptyLayout(QLayout& layout) {
    while (QLayoutItem* item = layout.takeAt(0)) {
        if (QWidget* widget = item->widget()) {
            widget->hide();
            widget->deleteLater();
        }
        if (item->layout() != nullptr) emptyLayout(*item->layout());
        delete item;
    }
}

QWidget* makeRule() {
    auto* line = new QWidget;
    line->setObjectName("rule");
    line->setAttribute(Qt::WA_StyledBackground);
    line->setFixedHeight(1);
    return line;
}

QScrollArea* makeScroll(QWidget* content) {
    auto* scroll = new QScrollArea;
    scroll->setWidgetResizable(true);
    scroll->setFrameShape(QFrame::NoFrame);
    scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    scroll->setFocusPolicy(Qt::NoFocus);  // what is in it takes the keys, and comes into view by that
    if (content != nullptr) scroll->setWidget(content);
    return scroll;
}

QPushButton* makeChip(const QString& text, const QString& tip) {
    auto* chip = new QPushButton(text);
    chip->setObjectName("chip");
    chip->setCheckable(true);
    chip->setToolTip(tip);
    chip->setFocusPolicy(Qt::TabFocus);
    chip->setFont(textFont(-1));
    return chip;
}

CommitField::CommitField(QWidget* parent) : QLineEdit(parent) {
    connect(this, &QLineEdit::textEdited, this, [this] {
        setWrong(this, false);
        setToolTip(m_hint);
    });
}

void CommitField::showValue(const QString& text) {
    m_value = text;
    setText(text);
    setWrong(this, false);
    setToolTip(m_hint);
    setCursorPosition(0);
}

void CommitField::setHint(const QString& hint) {
    m_hint = hint;
    setToolTip(hint);
}

void CommitField::updateValue(const QString& text) {
    if (hasFocus() && isModified())
        m_value = text;
    else
        showValue(text);
}

void CommitField::showProblem(const QString& sentence) {
    setWrong(this, true);
    setToolTip(sentence);
}

NameLabel::NameLabel(const QString& text, QWidget* parent) : QLabel(text, parent) {
    setIndent(0);  // it is drawn without one
}

QString NameLabel::shown() const {
    return fontMetrics().elidedText(text(), Qt::ElideMiddle, contentsRect().width());
}

QSize NameLabel::minimumSizeHint() const {
    return {std::min(sizeHint().width(), fontMetrics().averageCharWidth() * 8), sizeHint().height()};
}

bool NameLabel::event(QEvent* event) {
    if (event->type() != QEvent::ToolTip || shown() == text()) return QLabel::event(event);
    QToolTip::showText(static_cast<QHelpEvent*>(event)->globalPos(), text(), this);
    return true;
}

void NameLabel::paintEvent(QPaintEvent*) {
    QStyleOption option;
    option.initFrom(this);
    QPainter painter(this);
    style()->drawPrimitive(QStyle::PE_Widget, &option, &painter, this);
    style()->drawItemText(&painter, contentsRect(), int(alignment()), palette(), isEnabled(), shown(),
                          foregroundRole());
}

bool CommitField::event(QEvent* event) {
    // Esc is a key of the window too; while something is typed here it belongs to the field.
    if (event->type() == QEvent::ShortcutOverride && static_cast<QKeyEvent*>(event)->key() == Qt::Key_Escape &&
        text() != m_value)
        event->accept();
    return QLineEdit::event(event);
}

void CommitField::keyPressEvent(QKeyEvent* event) {
    if (event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter) {
        emit committed(text());
        // With the value in force the keys are the window's again.
        if (text() == m_value) clearFocus();
        return;
    }
    if (event->key() == Qt::Key_Escape) {
        showValue(m_value);
        clearFocus();
        return;
    }
    QLineEdit::keyPressEvent(event);
}

void CommitField::focusOutEvent(QFocusEvent* event) {
    QLineEdit::focusOutEvent(event);
    if (text() != m_value && event->reason() != Qt::PopupFocusReason && event->reason() != Qt::ActiveWindowFocusReason)
        emit committed(text());
}

JobStrip::JobStrip(Job& job, const QString& what, QWidget* parent)
    : QWidget(parent),
      m_what(what),
      m_label(makeQuietLabel()),
      m_bar(new QProgressBar),
      m_cancel(new QPushButton(tr("Cancel"))) {
    m_bar->setRange(0, 1000);
    m_bar->setTextVisible(false);
    m_cancel->setFont(textFont(-1));
    m_cancel->setToolTip(tr("Stop; nothing is lost (Esc)"));
    auto* words = new QVBoxLayout;
    words->setContentsMargins(0, 0, 0, 0);
    words->setSpacing(5);
    words->addWidget(m_label);
    words->addWidget(m_bar);
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(0, 0, 0, 0);
    row->addLayout(words, 1);
    row->addWidget(m_cancel);
    hide();
    connect(&job, &Job::started, this, [this] {
        m_bar->setValue(0);
        m_label->setText(m_what + " …");
        show();
    });
    connect(&job, &Job::progressed, this, [this](double fraction, double secondsLeft) {
        m_bar->setValue(int(1000 * fraction));
        m_label->setText(tr("%1 %2 %").arg(m_what).arg(int(100 * fraction)) + timeLeft(secondsLeft));
    });
    connect(&job, &Job::ended, this, &QWidget::hide);
    connect(m_cancel, &QPushButton::clicked, &job, &Job::cancel);
}

}  // namespace um::app
