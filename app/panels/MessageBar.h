#pragma once
/// Sentences across the window: the newest message, and questions that wait for their answers.
#include <deque>
#include <functional>
#include <QWidget>

class QLabel;
class QPushButton;

namespace um::app {

class MessageBar : public QWidget {
    Q_OBJECT

public:
    enum class About { Program, Document };

    explicit MessageBar(QWidget* parent = nullptr);

    /// Takes the place of the message before; questions stay.
    void say(const QString& sentence);
    /// Waits behind the questions that are not answered yet. One of the same sentence takes the older one's place.
    void ask(
        About about, const QString& sentence, const QString& yes, std::function<void()> onYes, const QString& no,
        std::function<void()> onNo = [] {});
    void clearMessage();
    /// Removes the questions about the document, when another one is opened.
    void withdrawQuestions(About about);

    QString message() const { return m_message; }
    /// The one that can be answered now; empty if there is none.
    QString question() const { return m_questions.empty() ? QString() : m_questions.front().sentence; }

protected:
    void paintEvent(QPaintEvent* event) override;

private:
    struct Question {
        About about;
        QString sentence, yes, no;
        std::function<void()> onYes, onNo;
    };

    void answer(std::function<void()> Question::*what);
    void showWhatThereIs();

    QString m_message;
    std::deque<Question> m_questions;
    QWidget *m_messageRow, *m_questionRow;
    QLabel *m_messageLabel, *m_questionLabel;
    QPushButton *m_close, *m_yes, *m_no;
};

}  // namespace um::app
