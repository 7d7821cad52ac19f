#pragma once
/// Answering dialogs that wait for somebody.
#include <functional>
#include <QApplication>
#include <QDialog>
#include <QLineEdit>
#include <QMessageBox>
#include <QPushButton>
#include <QTest>
#include <QTimer>

namespace um::test {

/// Does what stands in the list to one dialog after the other, as they come up.
class Hands : public QObject {
public:
    explicit Hands(std::vector<std::function<void(QWidget*)>> moves) : m_moves(std::move(moves)) {
        connect(&m_timer, &QTimer::timeout, this, [this] {
            auto* dialog = qobject_cast<QDialog*>(QApplication::activeModalWidget());
            if (dialog == nullptr || dialog == m_last || areDone()) return;
            m_last = dialog;
            connect(dialog, &QDialog::finished, this, [this] { m_last = nullptr; });
            // Another one may come up before this returns.
            QTimer::singleShot(0, this, [dialog, move = m_moves[m_done++]] { move(dialog); });
        });
        m_timer.start(20);
    }
    bool areDone() const { return m_done == m_moves.size(); }

private:
    std::vector<std::function<void(QWidget*)>> m_moves;
    std::size_t m_done = 0;
    QDialog* m_last = nullptr;
    QTimer m_timer;
};

/// Types a name and takes it.
inline void accept(QWidget* dialog, const QString& name) {
    auto* field = dialog->findChild<QLineEdit*>("fileNameEdit");
    field->setText(name);
    QTest::keyClick(field, Qt::Key_Return);
}

inline void answer(QWidget* box, QMessageBox::StandardButton button) {
    qobject_cast<QMessageBox*>(box)->button(button)->click();
}

}  // namespace um::test
