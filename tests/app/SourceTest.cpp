// The source while a document is open: it changes on disk, another one takes its place, or it is not to be found.
#include "app/desks/ChainWork.h"
#include "app/panels/FileChoice.h"
#include "app/panels/Widgets.h"
#include "app/theme/Theme.h"
#include "chain/Target.h"
#include "document/Edits.h"
#include "files/MeshFile.h"
#include "tests/support/Dialogs.h"
#include "tests/support/Files.h"
#include "tests/support/Shapes.h"
#include "tests/support/TestMain.h"
#include "tests/support/Window.h"

#include <QComboBox>

using namespace um;
using namespace um::app;
using test::waitUntil;
using test::waitUntilIdle;

class SourceTest : public QObject {
    Q_OBJECT

private slots:
    void initTestCase() {
        QApplication::setAttribute(Qt::AA_DontUseNativeDialogs);
        applyTheme(Theme::paperTheme());
    }

    void init() {
        m_folder = std::make_unique<test::Folder>();
        writeMesh(test::makeSphere(1, 30), *m_folder / "ball.ply", Progress());
        m_window = std::make_unique<MainWindow>(*m_folder / "recovery");
        QVERIFY(test::showActive(*m_window));
        open("ball.ply");
        QVERIFY(waitUntil([&] { return m_window->model().isOpen(); }));
        QVERIFY(waitUntilIdle(*m_window));
        m_window->messages().clearMessage();
    }

    void cleanup() {
        if (m_window) m_window->model().undoStack().setClean();
        m_window.reset();
    }

    void offersToReadWhatChangedOnDisk() {
        keepLevel("500");
        const Document before = document();
        rewrite(20);
        QVERIFY(waitUntil([&] { return m_window->messages().isVisible(); }, 20));
        QCOMPARE(m_window->messages().question(), QString("ball.ply has changed on disk since it was read."));
        QVERIFY(document().source == before.source);  // nothing happens by itself
        press("Read it again");
        QVERIFY(waitUntil([&] { return document().source != before.source; }));
        QCOMPARE(document().source->triangleCount(), std::size_t(3200));
        QCOMPARE(m_window->messages().question(),
                 QString("ball.ply was read: 3,200 triangles, 7,200 before. One level is of the older one."));
        QVERIFY(!document().levels[0].evidence);
        QCOMPARE(staleLevels(document()), std::vector<bool>{true});
        press("Make it anew");
        QVERIFY(waitUntil([&] { return !staleLevels(document())[0]; }));
        QCOMPARE(document().levels[0].mesh->triangleCount(), std::size_t(500));
        QVERIFY(waitUntilIdle(*m_window));
        QVERIFY(document().levels[0].evidence);
        // What is on disk is what is shown: nothing more to say.
        m_window->sourceWatch().look();
        QTest::qWait(1800);
        QVERIFY(!m_window->messages().isVisible());
        // Both steps can be undone, and the older source is not asked about again.
        m_window->model().undoStack().undo();
        m_window->model().undoStack().undo();
        QVERIFY(document().source == before.source);
        QCOMPARE(document().sourceHash, before.sourceHash);
        QVERIFY(waitUntilIdle(*m_window));
        QVERIFY(document().levels[0].evidence && !staleLevels(document())[0]);
        QTest::qWait(1800);
        QVERIFY(!m_window->messages().isVisible());
    }

    void noticesThatTheFileIsAsItWasBefore() {
        const std::string before = document().sourceHash;
        rewrite(20);
        m_window->readSource(path("ball.ply"));
        QVERIFY(waitUntil([&] { return document().source->triangleCount() == 3200; }));
        QTest::qWait(1800);  // until that state is known to be the one shown
        m_window->messages().clearMessage();
        rewrite(30);
        QVERIFY(waitUntil([&] { return m_window->messages().isVisible(); }, 20));
        press("Read it again");
        QVERIFY(waitUntil([&] { return document().sourceHash == before; }));
    }

    void noticesAFileThatTakesTheSourcesPlace() {
        writeMesh(test::makeSphere(1, 10), *m_folder / "new.ply", Progress());
        std::filesystem::rename(*m_folder / "new.ply", *m_folder / "ball.ply");
        QVERIFY(waitUntil([&] { return m_window->messages().isVisible(); }, 20));
        press("Leave it");
        QVERIFY(!m_window->messages().isVisible());
        m_window->sourceWatch().look();
        QTest::qWait(1800);
        QVERIFY(!m_window->messages().isVisible());  // it was said
        rewrite(12);
        QVERIFY(waitUntil([&] { return m_window->messages().isVisible(); }, 20));  // this was not
    }

    void saysNothingOfWhatIsWrittenTheSameAgain() {
        rewrite(30);
        QTest::qWait(2500);
        QVERIFY(!m_window->messages().isVisible());
        std::filesystem::remove(*m_folder / "ball.ply");
        QTest::qWait(1800);
        QVERIFY(!m_window->messages().isVisible());  // what is shown is still there
    }

    void noticesATextureBesideIt() {
        m_folder->write("crate.mtl", "newmtl Wood\nKd 1 0 0\n");
        m_folder->write("crate.obj", "mtllib crate.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\nusemtl Wood\nf 1 2 3\n");
        open("crate.obj");
        QVERIFY(waitUntil([&] { return document().name == "crate"; }));
        QVERIFY(waitUntilIdle(*m_window));
        QTest::qWait(1000);
        m_folder->write("crate.mtl", "newmtl Wood\nKd 0 1 0\n");
        QVERIFY(waitUntil([&] { return m_window->messages().isVisible(); }, 20));
        press("Read it again");
        QVERIFY(waitUntil([&] { return document().source->materials[0].baseColor[1] == 1; }));
    }

    void leavesWhatTheDocumentCarriesInside() {
        Document next = document();
        next.embedSource = true;
        m_window->model().change("Carry", next);
        rewrite(20);
        QTest::qWait(2500);
        QVERIFY(!m_window->messages().isVisible());
        QTest::keyClick(m_window.get(), Qt::Key_R, Qt::ControlModifier);  // asked for, it is read
        QVERIFY(waitUntil([&] { return document().source->triangleCount() == 3200; }));
    }

    void dropsAPreviewOfTheOlderSource() {
        m_window->desk().reduce("500", CountTarget{500});
        QVERIFY(waitUntil([&] { return m_window->desk().preview().has_value(); }));
        rewrite(20);
        m_window->readSource(path("ball.ply"));
        QVERIFY(waitUntil([&] { return document().source->triangleCount() == 3200; }));
        QVERIFY(!m_window->desk().preview());
        QVERIFY(m_window->desk().shown() == Shown{});
    }

    void saysWhenThereIsNothingNew() {
        QTest::keyClick(m_window.get(), Qt::Key_R, Qt::ControlModifier);
        QVERIFY(waitUntil([&] { return m_window->messages().isVisible(); }));
        QCOMPARE(m_window->messages().message(), QString("ball.ply holds what is shown already."));
        QVERIFY(!m_window->model().isEdited());
    }

    void saysWhatIsWrongWithTheNewOne() {
        const auto before = document().source;
        m_folder->write("ball.ply", "ply\nformat");
        m_window->readSource(path("ball.ply"));
        QVERIFY(waitUntil([&] { return m_window->messages().isVisible(); }));
        QVERIFY(m_window->messages().message().contains("ball.ply"));
        QVERIFY(document().source == before);
    }

    void putsAnotherFileInTheSourcesPlace() {
        keepLevel("500");
        writeMesh(test::makeTorus(1, 0.3, 60, 30), *m_folder / "ring.ply", Progress());
        QAction* action = nullptr;
        for (QAction* one : m_window->findChildren<QAction*>())
            if (one->text() == "Another source …") action = one;
        QVERIFY(action != nullptr);
        const test::Hands hands({[&](QWidget* dialog) { test::accept(dialog, path("ring.ply")); }});
        action->trigger();
        QVERIFY(waitUntil([&] { return document().source->triangleCount() == 3600; }));
        QCOMPARE(document().sourceFile, *m_folder / "ring.ply");
        QCOMPARE(document().name, std::string("ball"));
        QVERIFY(m_window->messages().question().startsWith("ring.ply was read: 3,600 triangles, 7,200 before."));
        press("Leave it");
    }

    void standsUpWhatLiesOnItsBack() {
        writeMesh(test::makeBox({1, 2, 3}, 6), *m_folder / "box.stl", Progress());
        open("box.stl");
        QVERIFY(waitUntil([&] { return document().name == "box"; }));
        QVERIFY(waitUntilIdle(*m_window));
        const auto size = [&] { return Vec3f(boundingBox(*document().source).sizes()); };
        const auto axes = [&] { return choice("Up"); };
        QVERIFY(axes() != nullptr);
        emit axes()->activated(1);
        QVERIFY(waitUntil([&] { return size() == Vec3f(1, 3, 2); }));
        QVERIFY(waitUntilIdle(*m_window));
        QCOMPARE(axes()->currentText(), QString("z"));
        m_window->model().undoStack().undo();
        QCOMPARE(size(), Vec3f(1, 2, 3));
        QVERIFY(waitUntilIdle(*m_window));
        QCOMPARE(axes()->currentText(), QString("y"));
        m_window->model().undoStack().redo();
        // What is made by hand for the same file lies as it does; what says itself what is up does not.
        for (const char* name : {"hand.stl", "hand.glb"}) {
            writeMesh(test::makeBox({1, 2, 3}, 2), *m_folder / name, Progress());
            m_window->desk().chainWork().takeHandmade(-1, path(name));
            const std::size_t before = document().levels.size();
            QVERIFY(waitUntil([&] { return document().levels.size() > before; }));
        }
        QCOMPARE(Vec3f(boundingBox(*document().levels[0].mesh).sizes()), Vec3f(1, 3, 2));
        QCOMPARE(Vec3f(boundingBox(*document().levels[1].mesh).sizes()), Vec3f(1, 2, 3));
    }

    void asksOnlyWhereTheFileDoesNotSayWhatIsUp() {
        writeMesh(test::makeBox({1, 2, 3}, 6), *m_folder / "box.glb", Progress());
        open("box.glb");
        QVERIFY(waitUntil([&] { return document().name == "box"; }));
        QVERIFY(waitUntilIdle(*m_window));
        QVERIFY(choice("Up") == nullptr && choice("Unit") == nullptr);
    }

    void letsTheUnitBeChosenAgain() {
        writeMesh(test::makeBox({1, 2, 3}, 6), *m_folder / "box.stl", Progress());
        open("box.stl");
        QVERIFY(waitUntil([&] { return document().name == "box"; }));
        QVERIFY(waitUntilIdle(*m_window));
        for (const auto& [unit, metres] : {std::pair("mm", 0.001), std::pair("cm", 0.01)}) {
            QVERIFY(choice("Unit") != nullptr);
            choice("Unit")->setCurrentText(unit);
            emit choice("Unit")->textActivated(unit);
            QVERIFY(waitUntil([&] { return document().source->metresPerUnit == metres; }));
            QVERIFY(waitUntilIdle(*m_window));
            QCOMPARE(choice("Unit")->currentText(), QString(unit));
        }
        QCOMPARE(m_window->model().undoStack().count(), 2);
        m_window->saveTo(path("doc.umesh"));
        QVERIFY(waitUntilIdle(*m_window));
        const Document saved = openDocument(*m_folder / "doc.umesh", Progress());
        QVERIFY(saved.unitIsChosen);
        QCOMPARE(saved.source->metresPerUnit, 0.01);
    }

    void asksWhereAMissingSourceIs() {
        keepLevel("500");
        m_window->saveTo(path("doc.umesh"));
        QVERIFY(waitUntilIdle(*m_window));
        std::filesystem::create_directory(*m_folder / "moved");
        std::filesystem::rename(*m_folder / "ball.ply", *m_folder / "moved" / "ball-v2.ply");
        open("doc.umesh");
        QVERIFY(waitUntil([&] { return m_window->messages().question().contains("is missing"); }));
        QVERIFY(m_window->messages().question().contains("ball.ply"));
        const test::Hands hands({[&](QWidget* dialog) { test::accept(dialog, path("moved/ball-v2.ply")); }});
        press("Find it …");
        QVERIFY(waitUntil([&] { return document().sourceFile == *m_folder / "moved" / "ball-v2.ply"; }));
        QCOMPARE(document().levels.size(), std::size_t(1));
        QVERIFY(m_window->model().isEdited());  // the file says still where it was
        m_window->saveTo(path("doc.umesh"));
        QVERIFY(waitUntil([&] { return !m_window->model().isEdited(); }));
        QCOMPARE(openDocument(*m_folder / "doc.umesh", Progress()).sourceFile, *m_folder / "moved" / "ball-v2.ply");
    }

private:
    const Document& document() const { return m_window->model().document(); }
    QString path(const std::string& name) const { return QString::fromStdString((*m_folder / name).string()); }
    void open(const std::string& name) { m_window->open(path(name)); }
    QComboBox* choice(const QString& name) const {
        for (QComboBox* box : m_window->findChildren<QComboBox*>())
            if (box->accessibleName() == name && box->isVisible()) return box;
        return nullptr;
    }
    void rewrite(std::size_t n) { writeMesh(test::makeSphere(1, n), *m_folder / "ball.ply", Progress()); }

    void keepLevel(const std::string& target) {
        m_window->desk().reduce(QString::fromStdString(target), parseTarget(target));
        QVERIFY(waitUntil([&] { return m_window->desk().preview().has_value(); }));
        m_window->desk().keepPreview();
        QVERIFY(waitUntilIdle(*m_window));
        QVERIFY(!document().levels.empty() && document().levels.back().evidence);
    }

    void press(const QString& text) {
        QPushButton* button = test::buttonNamed(m_window->messages(), text);
        QVERIFY2(button != nullptr, qPrintable(text));
        QTest::mouseClick(button, Qt::LeftButton);
    }

    std::unique_ptr<test::Folder> m_folder;
    std::unique_ptr<MainWindow> m_window;
};

UM_TEST(SourceTest)
#include "SourceTest.moc"
