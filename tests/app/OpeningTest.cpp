// Opening of all kinds, what goes wrong with it, and work that was not saved.
#include "app/panels/ExportCard.h"
#include "app/panels/MessageBar.h"
#include "app/panels/Widgets.h"
#include "app/theme/Theme.h"
#include "demo/CoralHead.h"
#include "files/MeshFile.h"
#include "tests/support/Files.h"
#include "tests/support/Shapes.h"
#include "tests/support/TestMain.h"
#include "tests/support/Window.h"

#include <QComboBox>
#include <QDropEvent>
#include <QLabel>
#include <QMenu>
#include <QMessageBox>
#include <QMimeData>
#include <QProcess>

using namespace um;
using namespace um::app;
using test::waitUntil;
using test::waitUntilIdle;

class OpeningTest : public QObject {
    Q_OBJECT

private slots:
    void initTestCase() {
        applyTheme(Theme::paperTheme());
        writeMesh(test::makeSphere(1, 30), m_folder / "sphere.ply", Progress());
    }

    void init() {
        m_window = std::make_unique<MainWindow>(m_folder / "recovery");
        QVERIFY(test::showActive(*m_window));
    }

    void cleanup() {
        if (m_window) m_window->model().undoStack().setClean();
        m_window.reset();
    }

    void invitesWhileNothingIsOpen() {
        const QPushButton* button = test::buttonNamed(*m_window, "Open …");
        QVERIFY(button != nullptr);
        QVERIFY(button->visibleRegion() == QRegion(button->rect()));
        QVERIFY(test::buttonNamed(*m_window, "Reduce") == nullptr);  // nothing that could not be used
    }

    void opensWhatIsDropped() {
        QMimeData data;
        data.setUrls({QUrl::fromLocalFile(QString::fromStdString((m_folder / "sphere.ply").string()))});
        QDragEnterEvent enter({100, 100}, Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
        QApplication::sendEvent(m_window.get(), &enter);
        QVERIFY(enter.isAccepted());
        QDropEvent drop({100, 100}, Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
        QApplication::sendEvent(m_window.get(), &drop);
        QVERIFY(waitUntil([&] { return m_window->model().isOpen(); }));
        QCOMPARE(m_window->model().document().name, std::string("sphere"));
    }

    void remembersRecentFiles() {
        open("sphere.ply");
        QVERIFY(waitUntil([&] { return m_window->model().isOpen(); }));
        MainWindow another(m_folder / "recovery2");
        another.show();
        QVERIFY(test::buttonNamed(another, "sphere.ply") != nullptr);
    }

    void saysWhatIsWrongWithAFileAndKeepsWhatIsOpen() {
        open("sphere.ply");
        QVERIFY(waitUntil([&] { return m_window->model().isOpen(); }));
        m_folder.write("broken.obj", "v 0 0 0\nv 1 nan 0\n");
        open("broken.obj");
        QVERIFY(waitUntil([&] { return m_window->messages().isVisible(); }));
        QVERIFY(m_window->messages().message().contains("broken.obj, line 2"));
        QCOMPARE(m_window->model().document().name, std::string("sphere"));
    }

    void showsProgressOfOpeningAndCanBeCancelled() {
        writeMesh(demo::makeCoralHead(6000000), m_folder / "coral.stl", Progress());
        open("coral.stl");
        QStringList seen;
        QVERIFY(waitUntil([&] {
            for (const QLabel* label : m_window->findChildren<QLabel*>())
                if (label->isVisible() && label->text().startsWith("Reading") && !seen.contains(label->text()))
                    seen += label->text();
            return seen.size() > 2;
        }));
        QPushButton* cancel = test::buttonNamed(*m_window, "Cancel");
        QVERIFY(cancel != nullptr);
        QTest::mouseClick(cancel, Qt::LeftButton);
        QVERIFY(waitUntil([&] { return !m_window->openJob().isRunning(); }, 5));
        QVERIFY(!m_window->model().isOpen());
        // And once more, to the end: six million triangles, navigated through a stand-in.
        open("coral.stl");
        QVERIFY(waitUntil([&] { return m_window->model().isOpen(); }));
        QVERIFY(waitUntilIdle(*m_window));
        QCOMPARE(m_window->model().document().source->triangleCount(), std::size_t(5999648));
        QVERIFY(m_window->desk().view().viewport().isSettled());
    }

    void movesMeshesThemselvesWhereTheDriverIsQuick() {
        const Mesh ball = test::makeSphere(1, 130);
        QVERIFY(ball.triangleCount() > standInLimit);
        writeMesh(ball, m_folder / "ball.ply", Progress());
        open("ball.ply");
        QVERIFY(waitUntil([&] { return m_window->model().document().name == "ball"; }));
        QVERIFY(waitUntilIdle(*m_window));
        QTest::keyClick(m_window.get(), Qt::Key_E);  // edges, which a stand-in lacks
        QVERIFY(waitUntilIdle(*m_window));
        Viewport& viewport = m_window->desk().view().viewport();
        double yaw = 0;
        const auto changesOnceAtRest = [&](double milliseconds) {
            viewport.setMovingMilliseconds(milliseconds);
            viewport.lookFrom(yaw += 0.2, 0.1);
            const QImage moving = viewport.grabFramebuffer();
            waitUntilIdle(*m_window);
            return test::differingPixels(moving, viewport.grabFramebuffer());
        };
        const int throughStandIn = changesOnceAtRest(0), itself = changesOnceAtRest(1e9);
        // What remains is that a moving picture's edges are not smoothed.
        QVERIFY2(itself < throughStandIn / 2, qPrintable(QString("%1 %2").arg(itself).arg(throughStandIn)));
        QTest::keyClick(m_window.get(), Qt::Key_E);
    }

    void makesNoFussOverWhatLosesNothing() {
        m_folder.write("quad.obj", "v 0 0 0\nv 2 0 0\nv 2 2 0\nv 0 2 0\nf 1 2 3 4\n");
        open("quad.obj");
        QVERIFY(waitUntil([&] { return m_window->model().document().name == "quad"; }));
        QVERIFY(!m_window->messages().isVisible());
        QCOMPARE(m_window->model().document().remarks.size(), std::size_t(1));
        m_folder.write("lost.obj", "mtllib nowhere.mtl\nv 0 0 0\nv 2 0 0\nv 2 2 0\nf 1 2 3\n");
        open("lost.obj");
        QVERIFY(waitUntil([&] { return m_window->model().document().name == "lost"; }));
        QVERIFY(m_window->messages().isVisible() && m_window->messages().message().contains("nowhere.mtl"));
    }

    void choosesTheUnitOfAFileThatDoesNotSay() {
        m_folder.write("plain.obj", "v 0 0 0\nv 20 0 0\nv 0 20 0\nf 1 2 3\n");
        open("plain.obj");
        QVERIFY(waitUntil([&] { return m_window->model().isOpen(); }));
        QVERIFY(waitUntilIdle(*m_window));
        auto* units = m_window->findChild<QComboBox*>();
        QVERIFY(units != nullptr);
        const auto viewer = [&] { return m_window->model().document().viewerDistance; };
        const double before = viewer();
        emit units->textActivated("mm");
        QVERIFY(waitUntil([&] { return m_window->model().document().source->metresPerUnit == 0.001; }));
        QVERIFY(waitUntilIdle(*m_window));
        QCOMPARE(viewer(), before / 1000);  // as tall on the screen as it was
        m_window->model().undoStack().undo();
        QCOMPARE(m_window->model().document().source->metresPerUnit, 1.0);
        QCOMPARE(viewer(), before);
    }

    void asksBeforeUnsavedWorkIsLost() {
        open("sphere.ply");
        QVERIFY(waitUntil([&] { return m_window->model().isOpen(); }));
        changeSomething();
        QString asked;
        QTimer::singleShot(300, this, [&] {
            auto* question = m_window->findChild<QMessageBox*>("unsavedQuestion");
            if (question == nullptr) return;
            asked = question->text();
            QTest::mouseClick(test::buttonNamed(*question, "Go on working"), Qt::LeftButton);
        });
        QVERIFY(!m_window->close());
        QVERIFY(asked.contains("unsaved"));
        QVERIFY(m_window->isVisible());
    }

    void savesFirstAndThenOpensWhatWasAskedFor() {
        open("sphere.ply");
        QVERIFY(waitUntil([&] { return m_window->model().isOpen(); }));
        m_window->saveTo(QString::fromStdString((m_folder / "first.umesh").string()));
        QVERIFY(waitUntilIdle(*m_window));
        changeSomething();
        writeMesh(test::makeBox({1, 1, 1}, 2), m_folder / "box.ply", Progress());
        QTimer::singleShot(300, this, [&] {
            auto* question = m_window->findChild<QMessageBox*>("unsavedQuestion");
            if (question != nullptr) QTest::mouseClick(test::buttonNamed(*question, "Save"), Qt::LeftButton);
        });
        open("box.ply");
        QVERIFY(waitUntil([&] { return m_window->model().document().name == "box"; }));
        QCOMPARE(openDocument(m_folder / "first.umesh", Progress()).tolerance, 0.002);
    }

    void offersUnsavedWorkAtTheNextStart() {
        open("sphere.ply");
        QVERIFY(waitUntil([&] { return m_window->model().isOpen(); }));
        changeSomething();
        QVERIFY(waitUntil([&] { return hasKeptWork(); }, 20));
        // A killed program clears nothing away: its file is put back once the window is gone, as if it had been killed.
        const auto kept = keptWork();
        std::filesystem::copy(kept, m_folder / "aside.umesh");
        m_window->model().undoStack().setClean();
        m_window.reset();
        QVERIFY(!hasKeptWork());  // a clean end leaves nothing behind
        std::filesystem::rename(m_folder / "aside.umesh", kept);
        m_window = std::make_unique<MainWindow>(m_folder / "recovery");
        m_window->show();
        QVERIFY(m_window->messages().isVisible());
        QVERIFY(m_window->messages().question().contains("unsaved work"));
        QTest::mouseClick(test::buttonNamed(m_window->messages(), "Open it"), Qt::LeftButton);
        QVERIFY(waitUntil([&] { return m_window->model().isOpen(); }));
        QCOMPARE(m_window->model().document().tolerance, 0.002);
        QVERIFY(m_window->model().isEdited());  // it is still not saved
        m_window->saveTo(QString::fromStdString((m_folder / "rescued.umesh").string()));
        QVERIFY(waitUntilIdle(*m_window));
        QVERIFY(!m_window->model().isEdited());
    }

    void throwsUnwantedWorkAway() {
        Document document;
        document.source = std::make_shared<const Mesh>(test::makeSphere(1, 4));
        m_window.reset();
        saveDocument(document, m_folder / "recovery/work-1-1.umesh", Progress());
        init();
        QTest::mouseClick(test::buttonNamed(m_window->messages(), "Throw it away"), Qt::LeftButton);
        QVERIFY(!std::filesystem::exists(m_folder / "recovery/work-1-1.umesh"));
    }

    void goesOnOfferingUnsavedWorkWhenAFileIsOpened() {
        Document document;
        document.source = std::make_shared<const Mesh>(test::makeSphere(1, 4));
        m_window.reset();
        saveDocument(document, m_folder / "recovery/work-1-1.umesh", Progress());
        init();
        open("sphere.ply");
        QVERIFY(waitUntilIdle(*m_window));
        m_window->messages().say("Something else.");
        QVERIFY(m_window->messages().question().contains("unsaved work"));
        QTest::mouseClick(test::buttonNamed(m_window->messages(), "Throw it away"), Qt::LeftButton);
        QVERIFY(!std::filesystem::exists(m_folder / "recovery/work-1-1.umesh"));
        QCOMPARE(m_window->messages().message(), QString("Something else."));
    }

    void exportsByKeyAfterOpeningFromTheMenu() {
        QMenu* file = nullptr;
        for (QMenu* menu : m_window->findChildren<QMenu*>())
            if (menu->title() == "File") file = menu;
        QVERIFY(file != nullptr);
        emit file->aboutToShow();  // while nothing is open
        open("sphere.ply");
        QVERIFY(waitUntilIdle(*m_window));
        QTest::keyClick(m_window.get(), Qt::Key_E, Qt::ControlModifier);
        auto* card = m_window->findChild<ExportCard*>();
        QVERIFY(card != nullptr && card->isVisible());
    }

    void saysSoWithoutOpenGl_data() {
        QTest::addColumn<bool>("hasDisplay");
        QTest::newRow("none at all") << false;
        QTest::newRow("none in windows") << true;
    }
    void saysSoWithoutOpenGl() {
        QFETCH(bool, hasDisplay);
        QProcess program;
        QProcessEnvironment environment = QProcessEnvironment::systemEnvironment();
        environment.insert("QT_QPA_PLATFORM", "offscreen");  // a platform that has none, or only off the screen
        if (!hasDisplay) environment.remove("DISPLAY");
        program.setProcessEnvironment(environment);
        program.start(UNDERSTATED_MESH_PROGRAM, {QString::fromStdString((m_folder / "sphere.ply").string())});
        QVERIFY(program.waitForStarted());
        QByteArray said;
        QVERIFY(waitUntil(
            [&] {
                said += program.readAllStandardError();
                return said.contains("OpenGL 3.3") && said.contains("libgl1-mesa-dri");
            },
            20));
        QTest::qWait(500);
        QCOMPARE(program.state(), QProcess::Running);  // until the sentence has been read
        program.kill();
        program.waitForFinished();
    }

private:
    void open(const std::string& name) { m_window->open(QString::fromStdString((m_folder / name).string())); }

    void changeSomething() {
        Document next = m_window->model().document();
        next.tolerance = 0.002;
        m_window->model().change("Tolerance", next);
    }

    std::filesystem::path keptWork() const {
        for (const auto& entry : std::filesystem::directory_iterator(m_folder / "recovery"))
            if (entry.path().extension() == ".umesh") return entry.path();
        return {};
    }
    bool hasKeptWork() const { return !keptWork().empty(); }

    test::Folder m_folder;
    std::unique_ptr<MainWindow> m_window;
};

UM_TEST(OpeningTest)
#include "OpeningTest.moc"
