#include "app/panels/MessageBar.h"

#include "app/panels/Widgets.h"
#include "app/theme/Theme.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QPainter>
#include <QPushButton>
#include <QVBoxLayout>

namespace um::app {
namespace {

QLabel* makeSentence() {
    auto* label = new QLabel;
    label->setWordWrap(true);
    label->setTextInteractionFlags(Qt::TextSelectableByMouse);
    return label;
}

// A row of its own, so that it can be hidden with all that is in it.
QWidget* makeRow(std::initializer_list<QWidget*> widgets) {
    auto* row = new QWidget;
    auto* layout = new QHBoxLayout(row);
    layout->setContentsMargins(0, 0, 0, 0);
    for (QWidget* widget : widgets) layout->addWidget(widget, widget == *widgets.begin() ? 1 : 0);
    return row;
}

}  // namespace

MessageBar::MessageBar(QWidget* parent)
    : QWidget(parent),
      m_messageLabel(makeSentence()),
      m_questionLabel(makeSentence()),
      m_close(new QPushButton),
      m_yes(new QPushButton),
      m_no(new QPushButton) {
    m_close->setObjectName("quiet");
    m_close->setIcon(icon("close", theme().softInk));
    m_close->setToolTip(tr("Put this message away"));
    m_close->setAccessibleName(m_close->toolTip());
    m_questionRow = makeRow({m_questionLabel, m_yes, m_no});
    m_messageRow = makeRow({m_messageLabel, m_close});
    auto* rows = new QVBoxLayout(this);
    rows->setContentsMargins(16, 6, 10, 6);
    rows->addWidget(m_questionRow);
    rows->addWidget(m_messageRow);
    hide();
    connect(m_close, &QPushButton::clicked, this, &MessageBar::clearMessage);
    connect(m_yes, &QPushButton::clicked, this, [this] { answer(&Question::onYes); });
    connect(m_no, &QPushButton::clicked, this, [this] { answer(&Question::onNo); });
}

void MessageBar::say(const QString& sentence) {
    m_message = sentence;
    showWhatThereIs();
}

void MessageBar::clearMessage() {
    say({});
}

void MessageBar::ask(About about, const QString& sentence, const QString& yes, std::function<void()> onYes,
                     const QString& no, std::function<void()> onNo) {
    Question question{about, sentence, yes, no, std::move(onYes), std::move(onNo)};
    const auto same = std::find_if(m_questions.begin(), m_questions.end(),
                                   [&](const Question& waiting) { return waiting.sentence == sentence; });
    if (same != m_questions.end())
        *same = std::move(question);
    else
        m_questions.push_back(std::move(question));
    showWhatThereIs();
}

void MessageBar::withdrawQuestions(About about) {
    std::erase_if(m_questions, [&](const Question& question) { return question.about == about; });
    showWhatThereIs();
}

void MessageBar::answer(std::function<void()> Question::*what) {
    const Question question = std::move(m_questions.front());
    m_questions.pop_front();
    showWhatThereIs();
    (question.*what)();
}

void MessageBar::showWhatThereIs() {
    // Sentences can be selected and copied, so only what would not fit is broken.
    m_messageLabel->setText(breakable(m_message, 80));
    m_messageRow->setVisible(!m_message.isEmpty());
    if (!m_questions.empty()) {
        m_questionLabel->setText(breakable(m_questions.front().sentence, 80));
        m_yes->setText(m_questions.front().yes);
        m_no->setText(m_questions.front().no);
    }
    m_questionRow->setVisible(!m_questions.empty());
    setVisible(!m_message.isEmpty() || !m_questions.empty());
}

void MessageBar::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    QColor ground = theme().amber;
    ground.setAlphaF(0.16f);
    painter.fillRect(rect(), theme().panel);
    painter.fillRect(rect(), ground);
    painter.fillRect(QRect(0, 0, 4, height()), theme().amber);
}

}  // namespace um::app
