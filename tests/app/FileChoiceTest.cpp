// Dialogs for files: what name comes of what is typed, and where they begin. And where the window stands.
#include "app/panels/FileChoice.h"
#include "tests/support/Dialogs.h"
#include "tests/support/Files.h"
#include "tests/support/TestMain.h"
#include "tests/support/Window.h"

#include <QComboBox>
#include <QFileDialog>
#include <QLineEdit>
#include <QMessageBox>
#include <QSettings>

using namespace um;
using namespace um::app;
using test::accept;
using test::answer;
using test::Hands;

namespace {

const QList<FileKind> sheets = {{"Page", {"html"}}, {"PDF", {"pdf"}}};

QString nameOf(const QString& path) {
    return QFileInfo(path).fileName();
}

}  // namespace

class FileChoiceTest : public QObject {
    Q_OBJECT

private slots:
    void initTestCase() { QApplication::setAttribute(Qt::AA_DontUseNativeDialogs); }
    void init() {
        QSettings().clear();
        rememberFolderOf(QString::fromStdString((m_folder / "any").string()));
    }

    void completesWhatIsTyped() {
        const Hands hands({[](QWidget* dialog) { accept(dialog, "jar"); }});
        QCOMPARE(nameOf(chooseToWrite(nullptr, "Save", "", sheets)), QString("jar.html"));
        QVERIFY(hands.areDone());
    }

    void takesTheChosenKind() {
        QString kindSeen;
        const Hands hands({[&](QWidget* dialog) {
            auto* list = dialog->findChild<QComboBox*>("fileTypeCombo");
            list->setFocus();
            QTest::keyClick(list, Qt::Key_Down);
            kindSeen = list->currentText();
            accept(dialog, "jar");
        }});
        QCOMPARE(nameOf(chooseToWrite(nullptr, "Save", "", sheets)), QString("jar.pdf"));
        QCOMPARE(kindSeen, QString("PDF"));
        const Hands typed({[](QWidget* dialog) { accept(dialog, "jar.PDF"); }});
        QCOMPARE(nameOf(chooseToWrite(nullptr, "Save", "", sheets)), QString("jar.PDF"));
    }

    void asksBeforeReplacingWhatTheWholeNameMeans() {
        m_folder.write("old.html", "mine");
        m_folder.write("jar.v2.html", "mine");
        for (const char* name : {"old", "jar.v2"}) {
            const bool isWhole = QString(name) == "old";
            std::vector<std::function<void(QWidget*)>> moves = {[&](QWidget* dialog) { accept(dialog, name); }};
            // The dialog comes up again with the whole name, and asks about that.
            if (!isWhole)
                moves.push_back(
                    [](QWidget* dialog) { QTest::keyClick(dialog->findChild<QLineEdit*>(), Qt::Key_Return); });
            moves.push_back([](QWidget* box) { answer(box, QMessageBox::No); });
            moves.push_back([](QWidget* dialog) { qobject_cast<QFileDialog*>(dialog)->reject(); });
            const Hands hands(moves);
            QCOMPARE(chooseToWrite(nullptr, "Save", "", sheets), QString());
            QVERIFY(hands.areDone());
        }
        const Hands hands(
            {[](QWidget* dialog) { accept(dialog, "old"); }, [](QWidget* box) { answer(box, QMessageBox::Yes); }});
        QCOMPARE(nameOf(chooseToWrite(nullptr, "Save", "", sheets)), QString("old.html"));
    }

    void beginsWhereTheLastOneEnded() {
        const std::filesystem::path elsewhere = m_folder / "elsewhere";
        std::filesystem::create_directory(elsewhere);
        const QString folder = QString::fromStdString(elsewhere.string());
        const Hands writing({[](QWidget* dialog) { accept(dialog, "guards"); }});
        QCOMPARE(chooseToWrite(nullptr, "Write", folder + "/jar guards", {{"Guards", {"json"}}}),
                 folder + "/guards.json");
        QString began;
        const Hands opening({[&](QWidget* dialog) {
            began = qobject_cast<QFileDialog*>(dialog)->directory().absolutePath();
            qobject_cast<QFileDialog*>(dialog)->reject();
        }});
        QVERIFY(chooseToOpen(nullptr, "Open", readableMeshes()).isEmpty());
        QCOMPARE(began, folder);
    }

    void theWindowFitsTheScreenAndStaysAsItWasLeft() {
        QRect first, left(60, 50, 1290, 820);
        {
            MainWindow window(m_folder / "recovery");
            window.showAsLeft();
            QVERIFY(QTest::qWaitForWindowExposed(&window));
            first = window.geometry();
            QVERIFY(window.screen()->availableGeometry().contains(first));
            QVERIFY(first.width() >= 1280 && first.height() >= 800);
            window.setGeometry(left);
            QVERIFY(test::waitUntil([&] { return window.geometry() == left; }, 5));
            window.close();
        }
        {
            MainWindow window(m_folder / "recovery");
            window.showAsLeft();
            QVERIFY(QTest::qWaitForWindowExposed(&window));
            QCOMPARE(window.geometry(), left);
            window.showMaximized();
            window.close();
        }
        MainWindow window(m_folder / "recovery");
        window.showAsLeft();
        QVERIFY(window.isMaximized());
    }

private:
    test::Folder m_folder;
};

UM_TEST(FileChoiceTest)
#include "FileChoiceTest.moc"
